import { numberText } from '../language/numbers.ts';
import { isNumeric, isObject, membersOf, type Value } from '../language/values.ts';
import { setOwn } from './document.ts';

/** Texts that have a form of their own; a format is said where every text of a place has it. */
const FORMATS: readonly (readonly [string, RegExp])[] = [
  [
    'date-time',
    /^\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])T(?:[01]\d|2[0-3]):[0-5]\d:[0-5]\d(?:\.\d+)?(?:Z|[+-](?:[01]\d|2[0-3]):[0-5]\d)$/,
  ],
  ['date', /^\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])$/],
  ['uuid', /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i],
  ['email', /^[A-Za-z0-9._+-]+@[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+$/],
  ['ipv4', /^(?:(?:25[0-5]|2[0-4]\d|1?\d?\d)(?:\.(?!$)|$)){4}$/],
];

/** An object with more names than this, each in few of the values, is one whose names are data. */
const MOST_NAMES = 40;
/** So many levels and items of a list are looked at. */
const MOST_LEVELS = 60;
const MOST_ITEMS = 2_000;

/** What stands at one place of some values. */
class Place {
  readonly types = new Set<string>();
  /** How many objects stood there. */
  objects = 0;
  readonly members = new Map<string, { readonly place: Place; count: number }>();
  items: Place | undefined;
  /** Formats that every text so far has had. */
  formats: readonly string[] | undefined;

  take(value: Value, level = 0): void {
    if (Array.isArray(value)) {
      this.types.add('array');
      if (level > MOST_LEVELS) return;
      for (const item of value.slice(0, MOST_ITEMS)) (this.items ??= new Place()).take(item, level + 1);
    } else if (isNumeric(value)) {
      this.types.add(/[.eE]/.test(numberText(value)) ? 'number' : 'integer');
    } else if (isObject(value)) {
      this.types.add('object');
      this.objects++;
      if (level > MOST_LEVELS) return;
      for (const [name, member] of membersOf(value)) {
        const known = this.members.get(name) ?? { place: new Place(), count: 0 };
        known.count++;
        known.place.take(member, level + 1);
        this.members.set(name, known);
      }
    } else if (typeof value === 'boolean') this.types.add('boolean');
    else if (value === null) this.types.add('null');
    else {
      this.types.add('string');
      const text = typeof value === 'string' ? value : '';
      this.formats = (this.formats ?? FORMATS.map(([name]) => name)).filter((name) =>
        FORMATS.find(([one]) => one === name)![1].test(text),
      );
    }
  }

  /** Takes what stood at another place, for names that are data. */
  #union(others: Iterable<Place>): Place {
    const all = new Place();
    for (const other of others) all.#merge(other);
    return all;
  }

  #merge(other: Place): void {
    for (const type of other.types) this.types.add(type);
    this.objects += other.objects;
    for (const [name, { place, count }] of other.members) {
      const known = this.members.get(name) ?? { place: new Place(), count: 0 };
      known.count += count;
      known.place.#merge(place);
      this.members.set(name, known);
    }
    if (other.items) (this.items ??= new Place()).#merge(other.items);
    if (other.formats)
      this.formats = this.formats?.filter((name) => other.formats!.includes(name)) ?? other.formats;
  }

  schema(): Record<string, unknown> {
    // A whole number is a number too.
    const types = [...this.types]
      .filter((type) => type !== 'integer' || !this.types.has('number'))
      .toSorted();
    const made: Record<string, unknown> = { type: types.length === 1 ? types[0] : types };
    const [format] = this.formats ?? [];
    if (format !== undefined) made['format'] = format;
    if (this.types.has('object')) this.#objectSchema(made);
    if (this.items) made['items'] = this.items.schema();
    return made;
  }

  #objectSchema(made: Record<string, unknown>): void {
    const always = [...this.members].filter(([, { count }]) => count === this.objects).map(([name]) => name);
    if (this.members.size > MOST_NAMES && always.length === 0) {
      made['additionalProperties'] = this.#union(
        [...this.members.values()].map(({ place }) => place),
      ).schema();
      return;
    }
    if (always.length > 0) made['required'] = always;
    const properties: Record<string, unknown> = {};
    for (const [name, { place }] of this.members) setOwn(properties, name, place.schema());
    if (this.members.size > 0) made['properties'] = properties;
  }
}

/**
 * A JSON Schema (2020-12) that each of some values fits: members that are always there are required, kinds are united,
 * formats are said where every text has them.
 */
export function shapeOfValues(values: readonly Value[]): Record<string, unknown> {
  const place = new Place();
  for (const value of values) place.take(value);
  return place.schema();
}
