import { askingFunctions } from './asking.ts';
import { chanceFunctions } from './random.ts';
import { conversionFunctions } from './conversion.ts';
import type { FunctionDefinition } from './define.ts';
import { digestFunctions } from './digest.ts';
import { listFunctions } from './list.ts';
import { numberFunctions } from './number.ts';
import { objectFunctions } from './object.ts';
import { specialFunctions } from './special.ts';
import { standardFunctions } from './standard.ts';
import { textFunctions, textOrListFunctions } from './text.ts';
import { timeFunctions } from './time.ts';
import { webFunctions } from './web.ts';

/** All functions of the language by name. */
export const functions: ReadonlyMap<string, FunctionDefinition> = new Map(
  [
    ...standardFunctions,
    ...askingFunctions,
    ...textFunctions,
    ...textOrListFunctions,
    ...listFunctions,
    ...objectFunctions,
    ...numberFunctions,
    ...conversionFunctions,
    ...digestFunctions,
    ...timeFunctions,
    ...chanceFunctions,
    ...webFunctions,
    ...specialFunctions,
  ].map((definition) => [definition.name, definition]),
);
