/** The methods of HTTP by [the registry of IANA](https://www.iana.org/assignments/http-methods) (RFC 9110, section 16.1.1). */
export const METHODS: ReadonlySet<string> = new Set(
  (
    'ACL BASELINE-CONTROL BIND CHECKIN CHECKOUT CONNECT COPY DELETE GET HEAD LABEL LINK LOCK MERGE MKACTIVITY MKCALENDAR ' +
    'MKCOL MKREDIRECTREF MKWORKSPACE MOVE OPTIONS ORDERPATCH PATCH POST PRI PROPFIND PROPPATCH PUT QUERY REBIND REPORT SEARCH ' +
    'TRACE UNBIND UNCHECKOUT UNLINK UNLOCK UPDATE UPDATEREDIRECTREF VERSION-CONTROL'
  ).split(' '),
);

/** Those of the registry that may not be sent twice (RFC 9110, section 9.2.2). */
const NOT_IDEMPOTENT: ReadonlySet<string> = new Set(['CONNECT', 'LOCK', 'PATCH', 'POST']);

/** Those that change nothing (RFC 9110, section 9.2.1). */
const SAFE: ReadonlySet<string> = new Set(
  'GET HEAD OPTIONS PRI PROPFIND QUERY REPORT SEARCH TRACE'.split(' '),
);

/** Whether a request changes nothing at the service. */
export function isSafe(method: string): boolean {
  return SAFE.has(method);
}

/** Whether a request may be sent twice with the effect of one. */
export function isIdempotent(method: string): boolean {
  return METHODS.has(method) && !NOT_IDEMPOTENT.has(method);
}
