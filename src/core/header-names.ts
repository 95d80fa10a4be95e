/** What the name of a header field may be (RFC 9110, section 5.6.2). */
export const FIELD_NAME = /^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/;
