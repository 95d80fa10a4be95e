import type { Finding } from './finding.ts';
import type { Expression } from '../../language/expression.ts';
import type { ProblemCode, WarningCode } from '../../problem-codes.ts';
import type { Place, Problem } from '../../problems.ts';
import { optional } from '../optional.ts';
import { lineAfter, partRewritten, rewritten } from './changes.ts';
import { withoutConsequences } from './consequences.ts';
import type { PlacedExpression } from '../model.ts';
import type { Range, ScalarNode, SourceFile, SourceNode } from './source-file.ts';
import type { Advice, SourceProblem } from './source-problem.ts';

/** Collects what is found in one file. */
export class Findings {
  readonly file: SourceFile;
  readonly all: Finding[];
  /** Names that the project says are not those of secrets (`mask: { never: […] }`). */
  notSecret: ReadonlySet<string> = new Set();

  /** The lists of keys that maps of the file were held to. */
  readonly keyLists = new Set<readonly { readonly name: string }[]>();

  constructor(file: SourceFile) {
    this.file = file;
    this.all = file.problems.map((problem) => ({ ...problem, level: 'problem' }));
  }

  #said(
    where: { range: Range } | number,
    message: string,
    advice: Advice | undefined,
  ): Omit<SourceProblem, 'code' | 'fix'> & { readonly place: Place } {
    const place = this.file.place(typeof where === 'number' ? where : where.range[0]);
    const { hint, example, change, name } = typeof advice === 'string' ? { hint: advice } : (advice ?? {});
    return {
      message,
      place,
      ...optional('hint', hint),
      ...optional('instead', change && lineAfter(this.file, change, place.line)),
      ...optional('example', change ? undefined : example),
      ...optional('name', name),
    };
  }

  /** All keys that the maps of the file could have. */
  keys(): ReadonlySet<string> {
    return new Set([...this.keyLists].flatMap((keys) => keys.map(({ name }) => name)));
  }

  problem(where: { range: Range } | number, code: ProblemCode, message: string, advice?: Advice): void {
    this.all.push({ level: 'problem', code, ...this.#said(where, message, advice) });
  }

  warn(where: { range: Range } | number, code: WarningCode, message: string, advice?: Advice): void {
    this.all.push({ level: 'warning', code, ...this.#said(where, message, advice) });
  }

  /** That a scalar should have another text; `hint` says the same where no line is shown. */
  becomes(node: SourceNode | undefined, text: string | undefined, hint = text): Advice | undefined {
    const change =
      node?.type === 'scalar' && text !== undefined ? rewritten(this.file, node, text) : undefined;
    return change ? { hint, change } : hint;
  }

  /** The same for a part of it. */
  partBecomes(node: ScalarNode, span: readonly [number, number], text: string, hint = text): Advice {
    return { hint, change: partRewritten(this.file, node, span, text) };
  }

  /** The known word that a scalar was probably meant as, or else a hint. */
  nearest(node: SourceNode | undefined, near: string | undefined, otherwise: string): Advice | undefined {
    return near === undefined ? otherwise : this.becomes(node, near, `the nearest is ${near}`);
  }

  /** The same for what something else in the project has as its name. */
  nearestName(node: SourceNode, near: string | undefined, otherwise: string): Advice {
    const advice = this.nearest(node, near, otherwise);
    return {
      ...(typeof advice === 'string' ? { hint: advice } : advice),
      ...(node.type === 'scalar' ? { name: node.text } : {}),
    };
  }

  /** Problems of an expression, at their places in the file. */
  expression(scalar: ScalarNode, problems: readonly Problem[], shift = 0): void {
    for (const { replace, ...problem } of problems) {
      const [from, to] = replace?.span ?? [0, 0];
      // Where a part of what is spoken of is to be changed, that is the place.
      const isWhole =
        replace &&
        from === 0 &&
        to >= (problem.span?.[1] ?? 0) &&
        to - from > 0 &&
        shift + to >= scalar.text.length;
      const start = replace && !isWhole ? from : (problem.span?.[0] ?? 0);
      const place = this.file.place(scalar.offset(start + shift));
      const change = replace && partRewritten(this.file, scalar, [from + shift, to + shift], replace.text);
      const instead = change && lineAfter(this.file, change, place.line);
      this.all.push({ ...problem, place, ...optional('instead', instead), level: 'problem' });
    }
  }

  place(node: SourceNode): Place {
    return this.file.place(node.range[0]);
  }

  placed(expression: Expression, scalar: ScalarNode): PlacedExpression {
    return { expression, at: (span) => this.file.place(scalar.offset(span?.[0] ?? 0)) };
  }

  /** All that was found, in the order of the file, without what only follows from something else. */
  sorted(): Finding[] {
    return inOrder(withoutConsequences(this.file, this.all));
  }
}

/** Findings in the order of their file. */
export function inOrder(findings: readonly Finding[]): Finding[] {
  return findings.toSorted(
    (a, b) => (a.place?.line ?? 0) - (b.place?.line ?? 0) || (a.place?.column ?? 0) - (b.place?.column ?? 0),
  );
}
