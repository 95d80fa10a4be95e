import type { DescribedContent, DescribedResponse } from './description.ts';

/** What is described of a response with a status: that status, its class, or what holds for all others. */
export function responseFor(
  responses: readonly DescribedResponse[],
  status: number,
): DescribedResponse | undefined {
  const wanted = [String(status), `${Math.floor(status / 100)}XX`, 'default'];
  return wanted
    .map((one) => responses.find((response) => response.status === one))
    .find((response) => response !== undefined);
}

/** What is described of a media type: itself, a form of it with the same suffix, or a range that it lies in (RFC 9110, 12.5.1). */
export function contentFor(content: readonly DescribedContent[], type: string): DescribedContent | undefined {
  const [main] = type.split('/');
  const wanted = [type, `${main!}/*`, '*/*'];
  return wanted
    .map((one) => content.find((described) => described.type === one))
    .find((described) => described !== undefined);
}
