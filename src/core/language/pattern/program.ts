import { fail } from '../../problems.ts';
import type { CharSet, PatternTree } from './syntax.ts';

/** How many instructions a compiled pattern may have. */
const MAXIMUM_INSTRUCTIONS = 20_000;

/**
 * One instruction of the machine that Thompson described (1968): consume a character of a set, go two ways (the first
 * preferred), remember a position, or test for an end of the text.
 */
export type Instruction =
  | { readonly type: 'consume'; readonly set: number }
  | { type: 'fork'; first: number; second: number }
  | { type: 'jump'; to: number }
  | { readonly type: 'remember'; readonly slot: number }
  | { readonly type: 'start' }
  | { readonly type: 'end' }
  | { readonly type: 'accept' };

export interface Program {
  readonly instructions: readonly Instruction[];
  readonly sets: readonly CharSet[];
  readonly groups: number;
}

/** Compiles a pattern. Throws `pattern-too-large`. */
export function compileProgram(tree: PatternTree): Program {
  const instructions: Instruction[] = [];
  const sets: CharSet[] = [];
  let groups = 0;

  const emit = <T extends Instruction>(instruction: T): T => {
    if (instructions.length >= MAXIMUM_INSTRUCTIONS) {
      fail('pattern-too-large', `the pattern needs more than ${MAXIMUM_INSTRUCTIONS} states`, {
        hint: 'smaller counts in braces',
      });
    }
    instructions.push(instruction);
    return instruction;
  };

  const visit = (part: PatternTree): void => {
    switch (part.type) {
      case 'set':
        sets.push(part.set);
        emit({ type: 'consume', set: sets.length - 1 });
        return;
      case 'sequence':
        part.parts.forEach(visit);
        return;
      case 'choice': {
        const jumps = [];
        for (const branch of part.branches.slice(0, -1)) {
          const fork = emit({ type: 'fork', first: instructions.length + 1, second: 0 });
          visit(branch);
          jumps.push(emit({ type: 'jump', to: 0 }));
          fork.second = instructions.length;
        }
        visit(part.branches.at(-1)!);
        for (const jump of jumps) jump.to = instructions.length;
        return;
      }
      case 'repeat':
        repeat(part.part, part.least, part.most);
        return;
      case 'group':
        groups = Math.max(groups, part.number);
        emit({ type: 'remember', slot: part.number * 2 });
        visit(part.part);
        emit({ type: 'remember', slot: part.number * 2 + 1 });
        return;
      default:
        emit(part);
    }
  };

  const repeat = (part: PatternTree, least: number, most: number): void => {
    for (let i = 0; i < least; i++) visit(part);
    if (most === Infinity) {
      const fork = emit({ type: 'fork', first: instructions.length + 1, second: 0 });
      visit(part);
      emit({ type: 'jump', to: instructions.indexOf(fork) });
      fork.second = instructions.length;
    } else {
      const forks = [];
      for (let i = least; i < most; i++) {
        forks.push(emit({ type: 'fork', first: instructions.length + 1, second: 0 }));
        visit(part);
      }
      for (const fork of forks) fork.second = instructions.length;
    }
  };

  visit(tree);
  emit({ type: 'accept' });
  return { instructions, sets, groups };
}
