/** Finds something by a number of 32 bits, with open addressing: in half the time and memory of a Map of many entries. */
export class NumberTable<T> {
  #keys = new Int32Array(1024);
  #values: (T | undefined)[] = new Array<T | undefined>(1024).fill(undefined);
  /** Places that are taken, those of values that were taken out among them. */
  #taken = 0;
  #size = 0;

  get size(): number {
    return this.#size;
  }

  get(key: number): T | undefined {
    const keys = this.#keys;
    const mask = keys.length - 1;
    for (let at = hash(key) & mask; ; at = (at + 1) & mask) {
      const value = this.#values[at];
      if (value === undefined) return undefined;
      if (keys[at] === key && value !== GONE) return value;
    }
  }

  /** Sets a value that is not there yet. */
  set(key: number, value: T): void {
    if (this.#taken * 2 >= this.#keys.length) this.#grow();
    this.#put(key, value);
    this.#taken++;
    this.#size++;
  }

  delete(key: number): void {
    const mask = this.#keys.length - 1;
    for (let at = hash(key) & mask; this.#values[at] !== undefined; at = (at + 1) & mask)
      if (this.#keys[at] === key && this.#values[at] !== GONE) {
        this.#values[at] = GONE as T;
        this.#size--;
        return;
      }
  }

  *values(): Generator<T> {
    for (const value of this.#values) if (value !== undefined && value !== GONE) yield value;
  }

  #put(key: number, value: T): void {
    const mask = this.#keys.length - 1;
    let at = hash(key) & mask;
    while (this.#values[at] !== undefined) at = (at + 1) & mask;
    this.#keys[at] = key;
    this.#values[at] = value;
  }

  #grow(): void {
    const keys = this.#keys;
    const values = this.#values;
    const room = this.#size * 2 >= keys.length / 2 ? keys.length * 4 : keys.length;
    this.#keys = new Int32Array(room);
    this.#values = new Array<T | undefined>(room).fill(undefined);
    this.#taken = this.#size;
    for (let i = 0; i < keys.length; i++)
      if (values[i] !== undefined && values[i] !== GONE) this.#put(keys[i]!, values[i]!);
  }
}

/** Stands where a value was taken out, so that those behind it are found. */
const GONE: unknown = Symbol('gone');

function hash(key: number): number {
  const mixed = Math.imul(key ^ (key >>> 15), 0x2c1b3c6d);
  return mixed ^ (mixed >>> 13);
}
