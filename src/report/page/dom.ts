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
  const place = document.getElementById('notice')!;
  place.textContent = text;
  clearTimeout(silence);
  silence = setTimeout(() => (place.textContent = ''), 2500);
}
