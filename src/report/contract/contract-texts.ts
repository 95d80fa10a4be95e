import { countOf } from '../../core/count-of.ts';
import type { ContractCoverage, CountedDeviation, OperationCoverage } from '../../core/contract/coverage.ts';
import { visible } from '../../core/language/show.ts';

/** What a coverage comes to, in a sentence. */
export function summaryOf({ deviations, operations }: ContractCoverage): string {
  const met = operations.filter(({ calls }) => calls > 0).length;
  const statuses = operations.flatMap((one) => one.statuses.filter(({ isDescribed }) => isDescribed));
  const metStatuses = statuses.filter(({ count }) => count > 0).length;
  return `${met} of ${countOf(operations.length, 'operation')} met, ${metStatuses} of ${statuses.length} statuses, ${countOf(deviations.length, 'deviation')}`;
}

/** A status with how often it came: `200 ×12`; of one that is not described, that. */
export function statusText({ status, count, isDescribed }: OperationCoverage['statuses'][number]): string {
  return `${status}${count > 0 ? ` ×${count}` : ''}${isDescribed ? '' : ' not described'}`;
}

/** Where and what a deviation is, without the operation. */
export function deviationLine({ described, direction, path, says, status }: CountedDeviation): string {
  const where = direction === 'request' ? 'sent' : String(status ?? 'response');
  return `${where}: ${path} ${says}${described === undefined ? '' : ` (${described})`}`;
}

/** The contract of services in Markdown, for a comment on a change. */
export function contractMarkdown(all: readonly ContractCoverage[]): string {
  const cell = (text: string): string =>
    visible(text)
      .replace(/[\\`*_{}[\]<>()#+!|~@]/g, (char) => (char === '<' ? '&lt;' : `\\${char}`))
      .replace(/\s+/g, ' ');
  const parts = all.map((coverage) => {
    const { deviations, file, operations, service, unknown } = coverage;
    return [
      `### ${cell(service)}: ${summaryOf(coverage)}`,
      `\`${file.replaceAll('`', '')}\``,
      ...(deviations.length === 0
        ? []
        : [
            [
              '| deviation | operation | times |',
              '| --- | --- | ---: |',
              ...deviations.map(
                (one) => `| ${cell(deviationLine(one))} | ${cell(one.operation)} | ${one.count} |`,
              ),
            ].join('\n'),
          ]),
      [
        '| operation | met | never met | members never seen |',
        '| --- | --- | --- | --- |',
        ...operations.map(
          (one) =>
            `| ${cell(one.operation)} | ${cell(met(one).join(', '))} | ${cell(neverMet(one).join(', '))} | ${cell(neverSeenText(one))} |`,
        ),
      ].join('\n'),
      ...unknown.map(({ request, count }) => `not described: ${cell(request)}, ${countOf(count, 'time')}`),
    ].join('\n\n');
  });
  return `${parts.join('\n\n')}\n`;
}

/** The statuses of an operation that came. */
export function met({ statuses }: OperationCoverage): string[] {
  return statuses.filter(({ count }) => count > 0).map(statusText);
}

/** The described statuses that never came. */
export function neverMet({ statuses }: OperationCoverage): string[] {
  return statuses.filter(({ count }) => count === 0).map(({ status }) => status);
}

/** Members that never came, the first few of them. */
export function neverSeenText({ neverSeen }: OperationCoverage, most = 6): string {
  const few = neverSeen.slice(0, most);
  return few.join(', ') + (neverSeen.length > few.length ? ` and ${neverSeen.length - few.length} more` : '');
}

/** The same as JSON, for programs. */
export function contractJson(all: readonly ContractCoverage[]): string {
  return `${JSON.stringify({ services: all }, undefined, 2)}\n`;
}
