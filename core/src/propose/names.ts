import { nameWords } from '../model/index.ts';

/** Words of a name, plurals made singular. */
export const wordsOf = (name: string): string[] => nameWords(name).map(singular);

const IRREGULAR: Readonly<Record<string, string>> = {
  people: 'person',
  children: 'child',
  men: 'man',
  women: 'woman',
  indices: 'index',
  data: 'data',
};

/**
 * English plurals: categories, branches, loans; glass stays. For comparing only: `movie` and `movies` become
 * one word, which is not written so.
 */
function singular(word: string): string {
  const irregular = IRREGULAR[word];
  if (irregular !== undefined) return irregular;
  if (word.length <= 3) return word;
  if (word.endsWith('ies')) return `${word.slice(0, -3)}y`;
  if (word.endsWith('ie')) return `${word.slice(0, -2)}y`;
  if (/(ch|sh|x|ss|z)es$/.test(word)) return word.slice(0, -2);
  return word.endsWith('s') && !word.endsWith('ss') ? word.slice(0, -1) : word;
}

/** Whether a column only has the name that it was given for want of a header, which tells nothing. */
export const isGivenName = (name: string): boolean => /^column_\d+$/.test(name);

/** Prefixes and suffixes that say what kind of table or column a name is, not which. */
export const KIND_WORDS: ReadonlySet<string> = new Set(
  'fact dim dimension bridge stg staging export list table lookup master data info f d b s t'.split(' '),
);

/**
 * How alike two names are by their words, 0 to 1: shared words over those of the shorter name, lessened where
 * the longer has many more.
 */
export function nameLikeness(a: string, b: string): number {
  const plain = (name: string) => {
    const words = wordsOf(name);
    const own = words.filter((w) => !KIND_WORDS.has(w));
    return own.length > 0 ? own : words;
  };
  const [x, y] = [plain(a), plain(b)];
  if (x.length === 0 || y.length === 0 || isGivenName(a) || isGivenName(b)) return 0;
  if (x.join('_') === y.join('_')) return 1;
  const generic = (w: string) =>
    ['id', 'no', 'code', 'key', 'number', 'nr', 'name', 'date', 'day'].includes(w);
  const shared = x.filter((w) => y.includes(w) && !generic(w)).length;
  if (shared === 0) return 0;
  return (
    (shared / Math.min(x.filter((w) => !generic(w)).length || 1, y.filter((w) => !generic(w)).length || 1)) *
    (0.7 + 0.3 * (Math.min(x.length, y.length) / Math.max(x.length, y.length)))
  );
}

const TIME_PARTS = new Set(['year', 'month', 'quarter', 'week', 'weekday', 'day', 'hour', 'minute']);

/**
 * Whether a name is that of a part of a date or a moment, whose numbers are no amounts; several of them
 * (`minutes`) are a length of time.
 */
export const isTimePart = (name: string): boolean => TIME_PARTS.has(nameWords(name).at(-1) ?? '');

/** Whether a column is named as the first or as the last day of a version. */
export const isValidityStart = (name: string): boolean => isNamedIn(name, ['from', 'since']);
export const isValidityEnd = (name: string): boolean => isNamedIn(name, ['to', 'until', 'till']);
export const isOfValidity = (name: string): boolean => isValidityStart(name) || isValidityEnd(name);

function isNamedIn(name: string, ends: readonly string[]): boolean {
  const words = nameWords(name);
  return ['valid', 'effective'].includes(words.at(-2) ?? '') && ends.includes(words.at(-1)!);
}
