import type { KeyDefinition } from '../source/key-definition.ts';
import { askKeys } from './ask-keys.ts';
import { callKeys } from './call-keys.ts';
import { eachKeys, followKeys, repeatStepKeys } from './loop-keys.ts';
import { groupKeys, stepKeys, verbKeys } from './step-keys.ts';

/** What a step does. The steps of a loop are no verb of their own. */
export const VERBS = ['call', 'each', 'repeat', 'follow', 'ask', 'wait', 'steps'] as const;
/** What a step does, or `plain` where it only expects, keeps, writes or shows something. */
export type Verb = (typeof VERBS)[number] | 'plain';

const verb = (name: string): KeyDefinition => verbKeys.find((key) => key.name === name)!;

/** The keys of a step, by what it does. */
export const STEP_SHAPES: Readonly<Record<Verb, readonly KeyDefinition[]>> = {
  call: [verb('call'), ...stepKeys, ...callKeys],
  ask: [verb('ask'), ...stepKeys, ...askKeys],
  wait: [verb('wait'), ...stepKeys],
  steps: [verb('steps'), ...stepKeys, ...groupKeys],
  each: [verb('each'), ...stepKeys, ...eachKeys],
  repeat: [verb('repeat'), ...stepKeys, ...repeatStepKeys],
  follow: [verb('follow'), ...stepKeys, ...followKeys],
  plain: stepKeys,
};
