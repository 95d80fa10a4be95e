declare const BATHARON_VERSION: string | undefined;

/** Who sends requests, for services that want to know (RFC 9110, section 10.1.5). */
export const AGENT = `batharon/${typeof BATHARON_VERSION === 'string' ? BATHARON_VERSION : '0.0.0'}`;
