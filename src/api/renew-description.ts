import { dirname, relative, resolve } from 'node:path';
import type { Description } from '../core/contract/description.ts';
import { descriptionChanges } from '../core/contract/description-changes.ts';
import { countOf } from '../core/count-of.ts';
import type { Project, Service } from '../core/chain/project.ts';
import type { Connection } from '../core/ports.ts';
import { keepDescription, keptDescription } from '../io/description/kept-description.ts';
import { isFetched } from './descriptions.ts';
import { loadReader } from './prepare-descriptions.ts';

/** A description that was read anew. */
export interface Renewed {
  readonly file: string;
  /** What is otherwise than before, a line each. */
  readonly lines: readonly string[];
}

/** Opens the description in a file, whatever project there is. Throws `file-not-found`, `not-a-description`. */
export async function openFile(path: string): Promise<Description> {
  const { openDescription } = await loadReader();
  return openDescription(path, path, dirname(resolve(path)));
}

/** Reads the description of a service anew: fetches it where it is a URL. Says what changed. Throws what reading throws. */
export async function renewDescription(project: Project, name: string): Promise<Renewed> {
  const service = project.services.get(name)!;
  const { from } = service.description!;
  const folder = dirname(resolve(project.file ?? '.'));
  const { lastDescription, openDescription } = await loadReader();
  const path = isFetched(from) ? keptDescription(folder, name)?.path : resolve(folder, from);
  const before = path === undefined ? undefined : lastDescription(path, path, folder);
  // What is stored is read piece by piece, and a file that is read anew takes its place.
  const known = before && wholeOf(before);
  let now = path;
  if (isFetched(from)) {
    const { fetchDescription } = await import('../io/description/fetch-description.ts');
    now = keepDescription(folder, name, await fetchDescription(from, connectionOf(project, service)));
  }
  const file = relative(process.cwd(), now!);
  const after = openDescription(now!, file, folder);
  return {
    file,
    lines: known ? descriptionChanges(known, after) : [countOf(after.operations.length, 'operation')],
  };
}

/** A description with all of its data read. */
function wholeOf(description: Description): Description {
  const data = new Map<string, unknown>();
  const key = ({ file, pointer }: { file: string; pointer: string }): string => `${file}#${pointer}`;
  const { operations, schemas } = description;
  for (const { ref } of operations) data.set(key(ref), description.data(ref));
  for (const name of schemas) {
    const ref = {
      file: '',
      pointer: `/components/schemas/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`,
    };
    data.set(key(ref), description.data(ref));
  }
  const { version } = description;
  return { ...description, operations, schemas, version, data: (ref) => data.get(key(ref)) };
}

/** How the service is connected to, for a description that lies there too. */
function connectionOf(
  { file }: Project,
  { address, url, tls, proxy }: Service,
): { readonly origin: string; readonly how: Connection } | undefined {
  const text = (template: Service['proxy']): string | undefined =>
    template?.parts.every((part) => typeof part === 'string') ? template.parts.join('') : undefined;
  const home = url === 'practice' ? undefined : text(url);
  if (home === undefined || !URL.canParse(home)) return undefined;
  const [ca, cert, key] = [text(tls?.ca), text(tls?.cert), text(tls?.key)];
  const [pkcs12, own, elsewhere] = [text(tls?.pkcs12), text(proxy), text(address)];
  return {
    origin: new URL(home).origin,
    how: {
      ...(tls
        ? {
            tls: {
              verify: tls.verify,
              ...(ca === undefined ? {} : { ca }),
              ...(cert === undefined ? {} : { cert }),
              ...(key === undefined ? {} : { key }),
              ...(pkcs12 === undefined ? {} : { pkcs12 }),
              ...(tls.minVersion === undefined ? {} : { minVersion: tls.minVersion }),
            },
          }
        : {}),
      ...(own === undefined ? {} : { proxy: own }),
      ...(elsewhere === undefined ? {} : { address: elsewhere }),
      near: file ?? '.',
    },
  };
}
