/** Whether a host name is that of this machine, which no network lies in between. */
export function isThisMachine(host: string): boolean {
  return (
    host === 'localhost' || host.endsWith('.localhost') || /^127(?:\.\d+){3}$/.test(host) || host === '[::1]'
  );
}
