import * as z from 'zod';
import { readDuration } from '../../language/lexer.ts';

/** Which of the five sorts a field is of, and so what may stand in it. */
export type FieldSort =
  'condition' | 'value expression' | 'typed text' | 'plain text' | 'setting' | 'structure';

/** A key of one of the two files: how it is checked, and what `explain` says of it. */
export interface KeyDefinition {
  readonly name: string;
  readonly sort: FieldSort;
  /** Its form before expressions are looked at: scalars are texts, an empty value is null. */
  readonly shape: Shape;
  /** What it wants, as a message says it. */
  readonly wants: string;
  readonly about: string;
  readonly default?: string;
  readonly required?: boolean;
  /** Its whole worth is that nobody reads it: it never stands readable in a file. */
  readonly secret?: true;
  /** It says how a step goes about it, or what a person is told: with another value the step would have done the same. */
  readonly manner?: true;
  readonly example: string;
}

/** A schema that is made when it is first used: making all of them would take longer than checking a file. */
export type Shape = () => z.ZodType;

export function shapeOf<T extends z.ZodType>(make: () => T): () => T {
  let made: T | undefined;
  return () => (made ??= make());
}

export const text = shapeOf(() => z.string());
export const texts = shapeOf(() => z.array(text()));
export const yesNo = shapeOf(() => z.enum(['yes', 'no', 'true', 'false']));

/** Whether a setting says yes, in either way of writing it; `byDefault` where it is not there. */
export function saysYes(text: string | undefined, byDefault = false): boolean {
  return text === undefined ? byDefault : text === 'yes' || text === 'true';
}

/** Turns off whatever can be turned off. */
export const NONE = 'none';
/** A count as it is written; `none` is 0. */
export function timesOf(text: string): number {
  return text === NONE ? 0 : Number(text);
}
/** The credential that `as` names; `none` is another word for nobody. */
export function credentialNamed(text: string | undefined): string | undefined {
  return text === NONE ? 'nobody' : text;
}
/** The name in `${secret.desk}`, `credentials.desk` and the like, which is written without all that here. */
export function bareName(text: string): string {
  return (
    /^(?:(?:bearer|basic|token)\s+)?[$%{<\s]*(?:(?:secrets?|credentials?|auth|env)\.)?([A-Za-z_][\w-]*)[}>\s]*$/i.exec(
      text,
    )?.[1] ?? text
  );
}
/** A map, or the word that turns it off. */
export const mapOrNone = shapeOf(() => z.union([z.literal(NONE), map()]));
/** A text, or `from:` a file that has it. */
export const textOrFile = shapeOf(() => z.union([z.string(), z.strictObject({ from: z.string() })]));
/** The name of a credential, several of them, or one with inputs for the chain by which it signs in. */
export const carried = shapeOf(() => {
  const one = z.union([z.string(), map()]);
  return z.union([one, z.array(one)]);
});
/** A count, or the word that turns it off, which is 0. */
export const countOrNone = shapeOf(() => z.union([z.literal(NONE), count()]));
export const count = shapeOf(() => z.string().regex(/^\d{1,4}$/));
/** A number, or an insertion that gives one. */
export const amount = shapeOf(() => z.string().regex(/^(?:\d{1,9}|\$\{.*\})$/s));
export const anything = shapeOf(() => z.unknown().refine((value) => value !== null));
export const map = shapeOf(() => z.record(z.string(), z.unknown()));
/** A map, or a text that is one insertion of an object. */
export const mapOrInsertion = shapeOf(() => z.union([map(), z.string().regex(/^\$\{.*\}$/s)]));
export const list = shapeOf(() => z.array(z.unknown()));
/** A duration for programs that read only patterns; not as strict as {@link readDuration}. */
const DURATION = '-?(?:[0-9]+(?:\\.[0-9]+)?(?:ms|s|m|h|d))+';
const INSERTION = '\\$\\{[^]*\\}';
export const duration = shapeOf(() =>
  z
    .string()
    .refine((value) => readDuration(value) !== undefined || /^\$\{.*\}$/s.test(value))
    .meta({ pattern: `^(?:${DURATION}|${INSERTION})$` }),
);
/** A duration, or two of which the second is the most. */
export const pause = shapeOf(() =>
  z
    .string()
    .refine((value) => readPause(value) !== undefined || /^\$\{.*\}$/s.test(value))
    .meta({ pattern: `^(?:${DURATION}(?:\\.\\.${DURATION})?|${INSERTION})$` }),
);

/** `1s..10s`, or one duration. In milliseconds; undefined if it is neither. */
export function readPause(text: string): { least: number; most?: number } | undefined {
  const [least, most, ...more] = text.split('..').map(readDuration);
  if (least === undefined || least < 0 || more.length > 0) return undefined;
  if (!text.includes('..')) return { least };
  return most === undefined || most < least ? undefined : { least, most };
}

export const timeout = shapeOf(() =>
  z.union([
    duration(),
    z.strictObject({
      connect: duration().optional(),
      response: duration().optional(),
      total: duration().optional(),
    }),
  ]),
);
export const conditions = shapeOf(() => z.union([text(), list(), map()]));
