type Child = Node | string | undefined | false;

/** Makes an element; texts are texts, whatever stands in them. */
export function make<K extends keyof HTMLElementTagNameMap>(
  name: K,
  attributes: Readonly<Record<string, string | undefined>> = {},
  ...children: readonly Child[]
): HTMLElementTagNameMap[K] {
  const element = document.createElement(name);
  for (const [key, value] of Object.entries(attributes))
    if (value !== undefined) element.setAttribute(key, value);
  for (const child of children) if (child !== undefined && child !== false) element.append(child);
  return element;
}

/** Milliseconds as a person reads them. */
export function timeWords(milliseconds: number): string {
  if (milliseconds < 1000) return `${Math.round(milliseconds)} ms`;
  if (milliseconds < 60_000) return `${(milliseconds / 1000).toFixed(1)} s`;
  return `${Math.floor(milliseconds / 60_000)} min ${Math.round((milliseconds % 60_000) / 1000)} s`;
}

export function sizeWords(size: number): string {
  if (size < 1000) return `${size} bytes`;
  return size < 1_000_000 ? `${(size / 1000).toFixed(1)} KB` : `${(size / 1_000_000).toFixed(1)} MB`;
}

/** Copies a text and says so. */
export async function copy(text: string): Promise<void> {
  try {
    await navigator.clipboard.writeText(text);
    say(`copied ${text}`);
  } catch {
    say(`this browser lets nothing be copied here: ${text}`);
  }
}

let silence: number | undefined;

/** Says something shortly, also to a screen reader. */
export function say(text: string): void {
  const place = document.getElementById('shown')!;
  place.textContent = text;
  clearTimeout(silence);
  silence = setTimeout(() => (place.textContent = ''), 2500);
}
