/** What the name of a header field may be (RFC 9110, section 5.6.2). */
export const FIELD_NAME = /^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/;

/** Headers that follow from the request and the connection. */
export const SET_BY_REQUEST: ReadonlySet<string> = new Set([
  'content-length',
  'transfer-encoding',
  'connection',
]);

/** A host, or an address of IPv6 in brackets, and a port. */
export const HOST_AND_PORT = /^(?:\[[0-9A-Fa-f:.]+\]|[A-Za-z0-9.-]+):\d{1,5}$/;
