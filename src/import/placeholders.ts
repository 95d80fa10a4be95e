/** What stands in imported texts in place of a value that the documentation leaves open. */
const OPEN = '\ue000';
const CLOSE = '\ue001';
const MARKED = new RegExp(`${OPEN}([A-Za-z_]\\w*)${CLOSE}`, 'g');

/** A mark for a value that is known by a name: a variable of the shell, a part of a path in braces. */
export function variable(name: string): string {
  return `${OPEN}${name}${CLOSE}`;
}

/** A mark for what another command prints. */
export function outputOf(command: string): string {
  return `\ue004${command}\ue005`;
}

const OUTPUT = /\ue004([^\ue005]*)\ue005/g;

/** The command, where a text is what one prints and nothing else. */
export function wholeOutput(text: string): string | undefined {
  return /^\ue004([^\ue005]*)\ue005$/.exec(text)?.[1];
}

/** The text with each output of a command replaced. */
export function replaceOutputs(text: string, replace: (command: string) => string): string {
  return text.replace(OUTPUT, (_, command: string) => replace(command));
}

/** `{{name}}`, as documentation and templates leave a value open. */
export function markBraces(text: string): string {
  return text.replace(/\{\{\s*([A-Za-z_][\w.-]*)\s*\}\}/g, (_, name: string) =>
    variable(nameOfPlaceholder(name)),
  );
}

/** The names of the values that are left open in a text, in their order. */
export function variablesIn(text: string): string[] {
  return [...text.matchAll(MARKED)].map(([, name]) => name!);
}

/** The text with each marked value replaced. */
export function replaceVariables(text: string, replace: (name: string) => string): string {
  return text.replace(MARKED, (_, name: string) => replace(name));
}

/** The name, where the text is one such value and nothing else. */
export function wholeVariable(text: string): string | undefined {
  const names = variablesIn(text);
  return names.length === 1 && text === variable(names[0]!) ? names[0] : undefined;
}

/** Marks the parts of an address that documentation leaves open: `{id}`, `<id>`, `:id` as a segment. */
export function markAddress(url: string): string {
  return url
    .replace(/\{([A-Za-z_][\w-]*)\}|<([A-Za-z_][\w -]*)>/g, (_, braces?: string, angles?: string) =>
      variable(nameOfPlaceholder(braces ?? angles ?? '')),
    )
    .replace(/(?<=[^:/]\/):([A-Za-z_]\w*)(?=\/|\?|$)/g, (_, name: string) => variable(name));
}

/** A name of our language, from any words. */
export function nameOfPlaceholder(words: string): string {
  const name = words
    .replace(/([a-z0-9])([A-Z])/g, '$1_$2')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[^a-z]+|_+$/g, '');
  return name === '' ? 'value' : name;
}

/** Whether a text stands for a key that the reader has to put in: `YOUR_API_KEY`, `<token>`, `xxxx`. */
export function isPlaceholderKey(text: string): boolean {
  return (
    /^[<{[].*[>}\]]$/s.test(text) ||
    /^(?:your|my|the|an?|insert|replace|example)[-_ ]/i.test(text) ||
    /(?:your|my)[-_ ]?(?:api|access|secret|key|token)/i.test(text) ||
    /^(?:x{3,}|\*{3,}|\.{3}|…|(?:api|access|secret|auth)[-_ ]?(?:key|token|secret)|token|key|secret|password)$/i.test(
      text,
    ) ||
    /^[A-Z]+(?:_[A-Z]+)+$/.test(text)
  );
}
