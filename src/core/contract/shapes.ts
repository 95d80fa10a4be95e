import { dataAt, dataMember, type DescriptionSource, LINE, pointerPart, pointerParts } from './document.ts';
import { normalSchema } from './normal-schema.ts';
import type { Schema } from './json-schema.ts';

/** Schemas by name, as a project or a chain defines them. */
export interface Shapes {
  readonly names: readonly string[];
  /** The schema of a name; undefined if there is none. */
  find(name: string): Schema | undefined;
}

export const NO_SHAPES: Shapes = { names: [], find: () => undefined };

/**
 * Shapes of the data of a file, in which each is a member: `#/Piece` refers to one. `fileName` is what people call the file,
 * `file` reads another one that a shape names by its path.
 */
export function shapesOf(
  data: unknown,
  fileName: string,
  file: (path: string) => Schema | undefined,
): Shapes {
  const source: DescriptionSource = {
    at: (other, pointer) => (other === '' ? dataAt(data, pointerParts(pointer)) : undefined),
  };
  const known = new Map<string, Schema | undefined>();
  const names = Object.keys(data ?? {}).filter((name) => name !== LINE);
  return {
    names,
    find: (name) => {
      if (!known.has(name)) {
        const own = dataMember(data, name);
        known.set(
          name,
          own === undefined
            ? undefined
            : typeof own === 'string'
              ? file(own)
              : normalSchema(readingOf(source, fileName), { file: '', pointer: `/${pointerPart(name)}` }),
        );
      }
      return known.get(name);
    },
  };
}

/** The schema that the data of a whole file is. */
export function schemaOfData(data: unknown, fileName: string): Schema {
  const source: DescriptionSource = {
    at: (other, pointer) => (other === '' ? dataAt(data, pointerParts(pointer)) : undefined),
  };
  return normalSchema(readingOf(source, fileName), { file: '', pointer: '' });
}

function readingOf(source: DescriptionSource, fileName: string): Parameters<typeof normalSchema>[0] {
  return { source, isOld: false, isOurs: true, direction: 'response', fileName: () => fileName };
}
