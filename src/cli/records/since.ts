import { readDuration } from '../../core/language/lexer.ts';
import { fail } from '../../core/problems.ts';

/** How long ago, in milliseconds. Throws `wrong-form`. */
export function sinceOf(text: string): number {
  const duration = readDuration(text);
  if (duration !== undefined) return duration;
  const at = Date.parse(text);
  if (!Number.isNaN(at)) return Date.now() - at;
  return fail('wrong-form', `--since ${text} is neither a time ago nor a date`, {
    hint: '--since 2h, or --since 2026-03-01',
  });
}
