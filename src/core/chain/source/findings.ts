import type { Expression } from '../../language/expression.ts';
import type { ProblemCode, WarningCode } from '../../problem-codes.ts';
import type { Place, Problem } from '../../problems.ts';
import { optional } from '../optional.ts';
import { lineAfter, partRewritten } from './changes.ts';
import type { PlacedExpression } from '../model.ts';
import type { Range, ScalarNode, SourceFile, SourceNode } from './source-file.ts';
import type { Advice, SourceProblem } from './source-problem.ts';

/** What `check` finds: a problem stops a run, a warning does not. */
export type Finding =
  | (SourceProblem & { readonly level: 'problem' })
  | (Omit<SourceProblem, 'code'> & { readonly code: WarningCode; readonly level: 'warning' });

/** Collects what is found in one file. */
export class Findings {
  readonly file: SourceFile;
  readonly all: Finding[];
  /** Names that the project says are not those of secrets (`mask: { never: […] }`). */
  notSecret: ReadonlySet<string> = new Set();

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
    const { hint, example, change } = typeof advice === 'string' ? { hint: advice } : (advice ?? {});
    return {
      message,
      place,
      ...optional('hint', hint),
      ...optional('instead', change && lineAfter(this.file, change, place.line)),
      ...optional('example', change ? undefined : example),
    };
  }

  problem(where: { range: Range } | number, code: ProblemCode, message: string, advice?: Advice): void {
    this.all.push({ level: 'problem', code, ...this.#said(where, message, advice) });
  }

  warn(where: { range: Range } | number, code: WarningCode, message: string, advice?: Advice): void {
    this.all.push({ level: 'warning', code, ...this.#said(where, message, advice) });
  }

  /** Problems of an expression, at their places in the file. */
  expression(scalar: ScalarNode, problems: readonly Problem[], shift = 0): void {
    for (const { replace, ...problem } of problems) {
      const place = this.file.place(scalar.offset((problem.span?.[0] ?? 0) + shift));
      const [from, to] = replace?.span ?? [0, 0];
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

  /** All that was found, in the order of the file. What only follows from YAML's reading of a line is left out. */
  sorted(): Finding[] {
    const trapped = new Set(
      this.all.filter(({ code }) => code === 'yaml-trap').map(({ place }) => place?.line),
    );
    return inOrder(this.all.filter(({ code, place }) => code === 'yaml-trap' || !trapped.has(place?.line)));
  }
}

/** Findings in the order of their file. */
export function inOrder(findings: readonly Finding[]): Finding[] {
  return findings.toSorted(
    (a, b) => (a.place?.line ?? 0) - (b.place?.line ?? 0) || (a.place?.column ?? 0) - (b.place?.column ?? 0),
  );
}
