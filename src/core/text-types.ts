/** Media types of JSON (RFC 8259, section 11; RFC 6839, section 3.1). */
export const JSON_TYPE = /^application\/(?:[\w.+-]+\+)?json$|^text\/json$|^[\w.-]+\/[\w.-]+\+json$/;
/** Media types of other texts. */
export const TEXT_TYPE =
  /^text\/|^application\/(?:xml|javascript|x-www-form-urlencoded|yaml|graphql)$|\+xml$|\+yaml$/;

/** Whether a media type is one of texts, JSON among them. */
export function isTextType(type: string): boolean {
  return JSON_TYPE.test(type) || TEXT_TYPE.test(type);
}
