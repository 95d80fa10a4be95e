import type { Schema } from '../../contract/json-schema.ts';
import { childrenOf, type Tree } from '../../language/tree.ts';
import type { Findings } from '../source/findings.ts';
import type { ScalarNode } from '../source/source-file.ts';

/** A schema, or why there is none of its name. */
export type FoundSchema =
  { readonly schema: Schema } | { readonly message: string; readonly instead?: string };

/** The schemas that the expressions of a file hold values to. */
export class SchemaNames {
  /** By the names that the expressions say. */
  readonly used = new Map<string, Schema>();
  /** Finds one by its name. */
  find: ((name: string) => FoundSchema) | undefined;

  /** Looks at each `fits(value, NAME)` in an expression, whose offsets are those of its scalar. */
  use(findings: Findings, node: ScalarNode, tree: Tree): void {
    if (tree.type === 'call' && tree.name === 'fits') this.#use(findings, node, tree.arguments[1]);
    for (const child of childrenOf(tree)) this.use(findings, node, child);
  }

  #use(findings: Findings, node: ScalarNode, name: Tree | undefined): void {
    if (!name) return;
    if (name.type !== 'literal' || typeof name.value !== 'string') {
      findings.problem(
        node.offset(name.span[0]),
        'wrong-form',
        'the schema of fits is a text as it stands, so that it is known before the run',
        "fits($, 'Piece')",
      );
      return;
    }
    if (this.used.has(name.value)) return;
    const found = this.find?.(name.value);
    if (found && 'schema' in found) this.used.set(name.value, found.schema);
    else
      findings.problem(
        node.offset(name.span[0]),
        'unknown-schema',
        found?.message ?? `there is no schema ${name.value} here`,
        found?.instead === undefined
          ? 'shapes: in the chain or project file defines one'
          : findings.partBecomes(node, name.span, `'${found.instead}'`, `the nearest is '${found.instead}'`),
      );
  }
}
