import { renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Project } from '../core/chain/project.ts';
import { SCHEMA_FILES, type SchemaFile, schemaOfFile } from '../core/schema/file-schema.ts';
import { fail } from '../core/problems.ts';
import { makeOwnFolder, makeRealFolder, OWN_FOLDER } from '../io/secrets/own-folder.ts';
import { projectFolder } from '../io/secrets/project-folder.ts';
import { shownPath } from './load.ts';

/** Where the schema of a file lies, from the folder of the project. */
export function schemaPath(file: SchemaFile): string {
  return `${OWN_FOLDER}/schemas/${file}.json`;
}

/** Writes the schemas of both files below the folder of a project; returns their paths. Throws `file-not-written`. */
export function writeSchemas(project: Project): string[] {
  return writeSchemasBelow(projectFolder(project));
}

/** The same below a folder. */
export function writeSchemasBelow(folder: string): string[] {
  try {
    makeOwnFolder(join(folder, OWN_FOLDER));
    makeRealFolder(join(folder, OWN_FOLDER, 'schemas'));
    return SCHEMA_FILES.map((file) => {
      const path = join(folder, schemaPath(file));
      const temporary = `${path}.${process.pid}`;
      writeFileSync(temporary, `${JSON.stringify(schemaOfFile(file), null, 2)}\n`, { flag: 'wx' });
      renameSync(temporary, path);
      return shownPath(path);
    });
  } catch (error) {
    return fail('file-not-written', `the schemas can't be written: ${(error as Error).message}`);
  }
}
