import type { Findings } from '../source/findings.ts';
import type { Insertion } from '../model.ts';

/** Warnings on `percent(…)` where what is inserted is percent-encoded anyway: the service would see it encoded. */
export function warnEncodedTwice(findings: Findings, parts: readonly (string | Insertion)[]): void {
  for (const part of parts) {
    if (typeof part === 'string') continue;
    const { text, tree } = part.expression;
    if (tree.type !== 'call' || tree.name !== 'percent') continue;
    const [inner] = tree.arguments;
    findings.all.push({
      level: 'warning',
      code: 'encoded-twice',
      message: 'what is inserted here is percent-encoded anyway; with percent(…) it is encoded twice',
      ...(inner ? { hint: `\${${text.slice(...inner.span)}}` } : {}),
      place: part.at(tree.span),
    });
  }
}
