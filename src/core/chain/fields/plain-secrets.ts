import type { Findings } from '../source/findings.ts';
import { soundsSecret, wordsOf } from '../keys/secret-members.ts';
import type { SourceNode } from '../source/source-file.ts';

/** Shapes that only secrets have: JSON Web Tokens, PEM keys, marked keys, credentials of the Authorization field. */
const SHAPES: readonly (readonly [RegExp, string])[] = [
  [/\beyJ[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]*/, 'a JSON Web Token'],
  [/-----BEGIN [A-Z ]*PRIVATE KEY-----/, 'a private key'],
  [/\b[A-Za-z]{2,8}[-_](?:live|test|prod|key|secret|pat|token)[-_][A-Za-z0-9]{12,}/i, 'a key'],
  [/^(?:Bearer|Basic|Token|Digest|ApiKey)\s+[A-Za-z0-9._~+/=-]{8,}$/i, 'a credential'],
  [/:\/\/[^/\s:@]+:[^/\s@]+@/, 'a password in a URL'],
];

/** Bits of information a character, by how often each one occurs. */
function entropy(text: string): number {
  const counts = new Map<string, number>();
  for (const char of text) counts.set(char, (counts.get(char) ?? 0) + 1);
  let bits = 0;
  for (const count of counts.values()) bits -= (count / text.length) * Math.log2(count / text.length);
  return bits;
}

/** A word that looks drawn at random: long, of mixed characters, without the form of a UUID, a date or a path. */
function looksRandom(text: string): boolean {
  return text
    .split(/[\s"',;]+/)
    .some(
      (word) =>
        word.length >= 20 &&
        /^[A-Za-z0-9+/_=.-]+$/.test(word) &&
        /[0-9]/.test(word) &&
        /[A-Za-z]/.test(word) &&
        !/^[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}$/i.test(word) &&
        !/^[a-z0-9]+(?:[-./_][a-z0-9]+)+$/.test(word) &&
        entropy(word) >= 3.5,
    );
}

/** Whether something in a text has the form of a key, or looks drawn at random. */
export function holdsKey(text: string): boolean {
  return SHAPES.some(([pattern]) => pattern.test(text)) || looksRandom(text);
}

/** Stands in the place of what is not shown. */
const HIDDEN = '‹not shown›';

/** Words that stand where a secret could, and are none. */
const NO_SECRET =
  /^(?:true|false|null|none|\d{1,6}|env|file|command|ask|locked|bearer|basic|token|digest|apikey|secret\..*)$/i;

/**
 * A line without what is, or looks like, a secret in it, by its text alone: where a line can't be read, its fields tell nothing.
 * Insertions and expressions stay.
 */
export function withoutPlainSecrets(line: string): string {
  return (
    line
      .replace(
        /(?<![\w.-])(["']?)([A-Za-z][\w.-]*)\1(\s*[:=]\s*)("(?:[^"\\]|\\.)*"|'[^']*'|[^\s,;&{}[\]"']+)/g,
        (...[all, quote, name, sign, value]: [string, string, string, string, string, ...unknown[]]) =>
          isSecretValue(name, value.replace(/^(["'])(.*)\1$/, '$2').trim())
            ? quote + name + quote + sign + HIDDEN
            : all,
      )
      .replace(/(:\/\/[^/\s:@]+:)[^/\s@]+@/g, `$1${HIDDEN}@`)
      .replace(/\b(Bearer|Basic|Token|Digest|ApiKey)(\s+)(?=\S*\d)[A-Za-z0-9._~+/=-]{8,}/gi, `$1$2${HIDDEN}`)
      .replace(/\beyJ[A-Za-z0-9_-]{8,}(?:\.[A-Za-z0-9_-]*){1,4}/g, HIDDEN)
      // Without / and . a path or a host is no word of its own.
      .replace(/[A-Za-z0-9+_=-]{12,}/g, (word) => (holdsKey(word) ? HIDDEN : word))
  );
}

function isSecretValue(name: string, value: string): boolean {
  const sound = soundsSecret(name);
  if (sound === undefined || value.includes('${') || /^[$@]|[()]/.test(value) || NO_SECRET.test(value))
    return false;
  return sound === 'surely' ? value.length >= 6 : isMixed(value) || looksRandom(value);
}

const ADVICE =
  'secrets: in batharon.yaml names it and says where it comes from; ${secret.NAME} inserts it. If it is none: mask: { never: [NAME] }';

/**
 * Whether a text only names a value, in signs that insert one elsewhere: `$(secret.desk)`. That is told already, and there is no
 * secret in it.
 */
export function namesValueOnly(findings: Findings, node: SourceNode, text?: string): boolean {
  if (node.type !== 'scalar') return false;
  const { line } = findings.place(node);
  return (
    /^(?:[$%#@{[<(:=]+\s*(?:secrets?\.)?[A-Za-z_]\w*\s*[}\]>)%/]*|secrets?\.[A-Za-z_]\w*)$/.test(
      (text ?? node.text).trim(),
    ) &&
    findings.all.some(
      ({ code, place }) => (code === 'expression-in-text' || code === 'unknown-name') && place?.line === line,
    )
  );
}

/** Says of a text that stands in a file where it is, or looks like, a secret. `name` is that of its field. */
export function plainSecret(findings: Findings, node: SourceNode, name: string): void {
  if (node.type !== 'scalar' || node.text === '' || namesValueOnly(findings, node)) return;
  const shape = SHAPES.find(([pattern]) => pattern.test(node.text))?.[1];
  if (shape !== undefined) {
    findings.problem(node, 'secret-in-plain-text', `${shape} stands readable under ${name}`, ADVICE);
  } else if (isNoSecret(findings, name)) {
    return;
  } else if (
    !node.text.includes('${') &&
    soundsSecret(name) === 'surely' &&
    node.text.length >= 6 &&
    !/^(?:true|false|null|\d{1,6})$/.test(node.text)
  ) {
    findings.problem(node, 'secret-in-plain-text', `${name} is in the file in plain text`, ADVICE);
  } else if (
    looksRandom(node.text.replace(/\$\{[^}]*\}/g, ' ')) ||
    (soundsSecret(name) === 'perhaps' && isMixed(node.text))
  ) {
    findings.warn(node, 'secret-in-plain-text', `what stands under ${name} looks like a key`, ADVICE);
  }
}

/** The project says so of this name, in whatever spelling. */
function isNoSecret({ notSecret }: Findings, name: string): boolean {
  const whole = wordsOf(name).join('');
  return [...notSecret].some((one) => wordsOf(one).join('') === whole);
}

/** Of 16 characters or more, letters and digits mixed: under a name that sounds like a key that is mostly one. */
function isMixed(text: string): boolean {
  return (
    text.length >= 16 && /^[A-Za-z0-9+/_=.-]+$/.test(text) && /[0-9]/.test(text) && /[A-Za-z]/.test(text)
  );
}

/** The same for the parameters of a URL, and for a password in it. */
export function plainSecretsInUrl(findings: Findings, node: SourceNode): void {
  if (node.type !== 'scalar') return;
  const literal = node.text.replace(/\$\{[^}]*\}/g, '');
  const shape = SHAPES.find(([pattern]) => pattern.test(literal))?.[1];
  if (shape !== undefined && /^[a-z]+:\/\//i.test(node.text.replace(/^[A-Z]+\s+/, ''))) {
    findings.problem(node, 'secret-in-plain-text', `${shape} stands readable in the address`, ADVICE);
    return;
  }
  for (const [, name = '', value = ''] of node.text.matchAll(/[?&]([^=&#\s]+)=([^&#\s]*)/g))
    plainSecret(findings, { ...node, text: decoded(value) }, decoded(name));
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

/** The same for each cookie of a field. */
export function plainSecretsInCookies(findings: Findings, node: SourceNode): void {
  if (node.type !== 'scalar') return;
  for (const [, name = '', value = ''] of node.text.matchAll(/(?:^|;)\s*([^=;\s]+)=([^;]*)/g))
    if (
      !value.includes('${') &&
      (soundsSecret(name) !== undefined || /sess|sid$|auth/i.test(name)) &&
      !isNoSecret(findings, name) &&
      value.length >= 6 &&
      !namesValueOnly(findings, node, value)
    )
      findings.problem(
        node,
        'secret-in-plain-text',
        `the cookie ${name} is in the file in plain text`,
        ADVICE,
      );
}
