import { type KindName, type Maybe, kindOf, type Value } from './values.ts';

/** One bit for each kind that a value may have. */
export const BIT = {
  nothing: 1,
  null: 2,
  'yes or no': 4,
  number: 8,
  text: 16,
  list: 32,
  object: 64,
  time: 128,
  duration: 256,
  bytes: 512,
} as const satisfies Record<KindName, number>;

/** What is known of an expression's value before anything runs. */
export interface Kind {
  /** The kinds that are possible, as a sum of {@link BIT}. */
  readonly bits: number;
  /** What the items of a list are. */
  readonly item?: Kind;
  /** The members of an object. */
  readonly members?: ReadonlyMap<string, Kind>;
  /** No other members can be there. */
  readonly closed?: boolean;
  /** Member names are those of HTTP fields: the case of letters does not count. */
  readonly caseless?: boolean;
  /** A description of the service says so there: `kiln.openapi.yaml:211`. */
  readonly describedAt?: string;
}

const JSON_BITS = BIT.null | BIT['yes or no'] | BIT.number | BIT.text | BIT.list | BIT.object;

const of = (bits: number): Kind => ({ bits });

export const NOTHING = of(BIT.nothing);
export const YES_NO = of(BIT['yes or no']);
export const NUMBER = of(BIT.number);
export const TEXT = of(BIT.text);
export const TIME = of(BIT.time);
export const DURATION = of(BIT.duration);
export const BYTES = of(BIT.bytes);
export const LIST = of(BIT.list);
export const OBJECT = of(BIT.object);
/** Whatever JSON can hold. */
export const JSON_VALUE = of(JSON_BITS);
/** Any value at all. */
export const ANY = of(JSON_BITS | BIT.time | BIT.duration | BIT.bytes);

export function listOf(item: Kind): Kind {
  return { bits: BIT.list, item };
}

/** An object of which all members are known. */
export function objectKind(
  members: Readonly<Record<string, Kind>>,
  more: Omit<Kind, 'bits' | 'members'> = { closed: true },
): Kind {
  return { bits: BIT.object, members: new Map(Object.entries(members)), ...more };
}

export function union(a: Kind, b: Kind): Kind {
  if (a === b) return a;
  const bits = a.bits | b.bits;
  const aList = (a.bits & BIT.list) !== 0;
  const bList = (b.bits & BIT.list) !== 0;
  const item = aList && bList ? (a.item && b.item ? union(a.item, b.item) : undefined) : (a.item ?? b.item);
  const keepsMembers =
    a.members && !(b.bits & BIT.object) ? a : b.members && !(a.bits & BIT.object) ? b : undefined;
  return {
    bits,
    ...(item ? { item } : {}),
    ...(keepsMembers
      ? {
          members: keepsMembers.members!,
          closed: keepsMembers.closed ?? false,
          caseless: keepsMembers.caseless ?? false,
        }
      : {}),
  };
}

/** The kind without the possibility that nothing is there. */
export function present(kind: Kind): Kind {
  return kind.bits & BIT.nothing ? { ...kind, bits: kind.bits & ~BIT.nothing } : kind;
}

/** The kind with that possibility. */
export function maybe(kind: Kind): Kind {
  return { ...kind, bits: kind.bits | BIT.nothing };
}

/** Whether every value of this kind is one of `bits`. */
export function isOnly(kind: Kind, bits: number): boolean {
  return (kind.bits & ~bits) === 0;
}

/** Whether some value of this kind may be one of `bits`. */
export function mayBe(kind: Kind, bits: number): boolean {
  return (kind.bits & bits) !== 0;
}

/** The kind of a value that is there now, its items and members included (the first 20 of a list). */
export function kindOfValue(value: Maybe): Kind {
  const bits = BIT[kindOf(value)];
  if (Array.isArray(value)) {
    const items = value.slice(0, 20).map(kindOfValue);
    return items.length > 0 && value.length <= 20 ? { bits, item: items.reduce(union) } : { bits };
  }
  if (bits === BIT.object) {
    const members = new Map(
      Object.entries(value as Record<string, Value>).map(([name, member]) => [name, kindOfValue(member)]),
    );
    return { bits, members, closed: true };
  }
  return { bits };
}

const ORDER = Object.keys(BIT) as KindName[];

/** The kinds as words: "a number or text". */
export function kindWords(bits: number): string {
  const names = ORDER.filter((name) => bits & BIT[name]);
  if (names.length === 0) return 'no value';
  return withArticle(names.length > 1 ? `${names.slice(0, -1).join(', ')} or ${names.at(-1)!}` : names[0]!);
}

/** "a number", "an object", "text". */
export function withArticle(kind: string): string {
  if (/^(?:text|null|nothing|bytes|yes or no|no value)/.test(kind)) return kind;
  return `${/^[aeiou]/.test(kind) ? 'an' : 'a'} ${kind}`;
}
