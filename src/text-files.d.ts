/** The build puts the text of such a file into the program. */
declare module '*.yaml' {
  const text: string;
  export default text;
}

declare module '*.css' {
  const text: string;
  export default text;
}

/** A program for a page, bundled into one text. */
declare module 'browser:*' {
  const text: string;
  export default text;
}
