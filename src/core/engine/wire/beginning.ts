/** The beginning of a body that comes in pieces. */
export class Beginning {
  readonly #most: number;
  #parts: Uint8Array[] = [];
  #size = 0;
  /** There was more than is kept. */
  isCut = false;

  /** Keeps up to so many bytes. */
  constructor(most: number) {
    this.#most = most;
  }

  take(chunk: Uint8Array): void {
    const room = this.#most - this.#size;
    if (chunk.length > room) this.isCut = true;
    if (room <= 0) return;
    const part = chunk.slice(0, room);
    this.#parts.push(part);
    this.#size += part.length;
  }

  get bytes(): Uint8Array {
    if (this.#parts.length > 1) {
      const all = new Uint8Array(this.#size);
      let at = 0;
      for (const part of this.#parts) {
        all.set(part, at);
        at += part.length;
      }
      this.#parts = [all];
    }
    return this.#parts[0] ?? new Uint8Array();
  }
}
