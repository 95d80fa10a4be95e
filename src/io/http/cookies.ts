import type { CookieJar } from 'tough-cookie';
import type { Cookies } from '../../core/ports.ts';

/** The cookies of a run, in memory (RFC 6265). The library is loaded when the first cookie comes. */
export class RunCookies implements Cookies {
  readonly #jars = new Map<string, CookieJar>();

  header(jar: string, url: string): string | undefined {
    const text = this.#jars.get(jar)?.getCookieStringSync(url);
    return text === undefined || text === '' ? undefined : text;
  }

  empty(jar: string): void {
    this.#jars.delete(jar);
  }

  all(): ReturnType<NonNullable<Cookies['all']>> {
    return [...this.#jars].map(([jar, own]) => {
      const origin = jar.slice(jar.lastIndexOf(' ') + 1);
      const fields = (own.serializeSync()?.cookies ?? []).map(
        ({ key, value, path, domain, hostOnly, secure, httpOnly, expires }) =>
          [
            `${key ?? ''}=${value ?? ''}`,
            ...(typeof path === 'string' ? [`Path=${path}`] : []),
            ...(typeof domain === 'string' && hostOnly !== true ? [`Domain=${domain}`] : []),
            ...(secure ? ['Secure'] : []),
            ...(httpOnly ? ['HttpOnly'] : []),
            ...(typeof expires === 'string' && expires !== 'Infinity'
              ? [`Expires=${new Date(expires).toUTCString()}`]
              : []),
          ].join('; '),
      );
      return { jar, url: `${origin}/`, fields };
    });
  }

  async store(jar: string, url: string, fields: readonly string[]): Promise<void> {
    const { CookieJar } = await import('tough-cookie');
    const own = this.#jars.get(jar) ?? new CookieJar(undefined, { looseMode: true });
    this.#jars.set(jar, own);
    // A cookie for another domain, or one that is no cookie, is left out.
    for (const field of fields) own.setCookieSync(field, url, { ignoreError: true });
  }
}
