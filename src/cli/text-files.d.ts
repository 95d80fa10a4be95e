/** The build puts the text of such a file into the program. */
declare module '*.yaml' {
  const text: string;
  export default text;
}
