const LINK = /<([^>]*)>((?:\s*;\s*[^\s=;,]+(?:\s*=\s*(?:"(?:[^"\\]|\\.)*"|[^\s;,"]*))?)*)/g;
const PARAMETER = /;\s*([^\s=;,]+)(?:\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s;,"]*)))?/g;

/** The first target of a Link field (RFC 8288, section 3) that has a relation; relations ignore case. */
export function findLink(field: string, relation: string): string | undefined {
  for (const [, target, parameters] of field.matchAll(LINK)) {
    for (const [, name, quoted, bare] of parameters!.matchAll(PARAMETER)) {
      if (name!.toLowerCase() !== 'rel') continue;
      const relations = (quoted?.replace(/\\(.)/g, '$1') ?? bare ?? '').toLowerCase().split(/\s+/);
      if (relations.includes(relation.toLowerCase())) return target;
      break; // only the first rel parameter counts
    }
  }
  return undefined;
}
