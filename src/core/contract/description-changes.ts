import type { Description } from './description.ts';
import { pointerPart } from './document.ts';

/** So many changes are said. */
const MOST = 40;

/** What is otherwise in a description than before, a line each. */
export function descriptionChanges(before: Description, after: Description): string[] {
  const lines: string[] = [];
  if (before.version !== after.version) lines.push(`version ${before.version} is ${after.version} now`);
  for (const [what, old, now] of [
    ['', operationsOf(before), operationsOf(after)],
    ['schema ', schemasOf(before), schemasOf(after)],
  ] as const) {
    for (const [name, data] of now) {
      const known = old.get(name);
      if (known === undefined) lines.push(`new: ${what}${name}`);
      else if (known() !== data()) lines.push(`changed: ${what}${name}`);
    }
    for (const name of old.keys()) if (!now.has(name)) lines.push(`gone: ${what}${name}`);
  }
  return lines.length > MOST ? [...lines.slice(0, MOST), `and ${lines.length - MOST} more`] : lines;
}

function operationsOf(description: Description): Map<string, () => string> {
  return new Map(
    description.operations.map(({ method, path, ref }) => [
      `${method} ${path}`,
      () => JSON.stringify(description.data(ref)),
    ]),
  );
}

function schemasOf(description: Description): Map<string, () => string> {
  return new Map(
    description.schemas.map((name) => [
      name,
      () =>
        JSON.stringify(description.data({ file: '', pointer: `/components/schemas/${pointerPart(name)}` })),
    ]),
  );
}
