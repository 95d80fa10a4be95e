import type { ExitCode } from '../../core/events.ts';
import { SCHEMA_FILES, schemaOfFile } from '../../core/schema/file-schema.ts';
import { fail } from '../../core/problems.ts';
import { writeSchemas } from '../../api/schema-files.ts';
import { loadProject } from '../../api/load.ts';
import { guarded } from '../terminal/confirm-guarded.ts';
import { errorTerminal, writeData } from '../terminal/terminal.ts';

/** `batharon schema chain|project`: the JSON Schema of a file; `--write` writes both where editors look for them. */
export function schema(file: string, options: { write?: boolean }): Promise<ExitCode> {
  return guarded(async () => {
    if (!options.write) {
      const known = SCHEMA_FILES.find((one) => one === file);
      if (!known)
        return fail('wrong-form', `there is no schema of ${file}`, {
          hint: SCHEMA_FILES.map((one) => `batharon schema ${one}`).join(', '),
        });
      writeData(`${JSON.stringify(schemaOfFile(known), null, 2)}\n`);
      return 0;
    }
    for (const path of writeSchemas(loadProject(undefined, false).project))
      errorTerminal().write(`Wrote ${path}\n`);
    return 0;
  });
}
