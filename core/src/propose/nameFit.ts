import { isGivenName, KIND_WORDS, wordsOf } from './names.ts';

/** Words with which names of codes end: what stands before them says of what. */
const CODE_WORDS = new Set(
  'id ids no code codes key number nr num barcode ref reference fk sk pk uuid guid'.split(' '),
);
/** Words that any table may have a column of: that two columns are called so tells nothing. */
const COMMON_WORDS = new Set(
  'name identifier slug title label description text note comment remark value type kind status state date day year month time order index rank level position slot amount count size color colour'.split(
    ' ',
  ),
);
/** What a name is about: its words without those for codes and sorts of tables. */
export interface Subject {
  readonly words: readonly string[];
  /** Whether it ends with a word for a code. */
  readonly isCode: boolean;
}

export function subjectOf(name: string): Subject {
  if (isGivenName(name)) return { words: [], isCode: false };
  const all = wordsOf(name).filter((w, _, words) => !(KIND_WORDS.has(w) && words.length > 1));
  let end = all.length;
  while (end > 0 && CODE_WORDS.has(all[end - 1]!)) end--;
  return { words: all.slice(0, end), isCode: end < all.length };
}

const same = (a: readonly string[], b: readonly string[]): boolean =>
  a.length > 0 && a.join(' ') === b.join(' ');
const endsWith = (a: readonly string[], b: readonly string[]): boolean =>
  b.length > 0 && a.length > b.length && same(a.slice(-b.length), b);
const isCommon = (words: readonly string[]): boolean => words.every((w) => COMMON_WORDS.has(w));

/** How a column's name leads to a table: not at all, by its last word, by its ending, or whole. */
export const FIT = { none: 0, head: 1, ending: 2, whole: 3 } as const;
export type Fit = (typeof FIT)[keyof typeof FIT];

/**
 * How well the name of a column says that it refers to a column of a table. English puts what a thing is last
 * (`home_branch_id` is a branch, `branch_area_id` is none): so names fit by their endings, never by their
 * beginnings.
 */
export function nameFit(column: Subject, table: Subject, key: Subject): Fit {
  const [about, of, part] = [column.words, table.words, key.words];
  if (about.length === 0) return FIT.none;
  if (same(about, of) || same(about, [...of, ...part])) return FIT.whole;
  if (same(about, part) && !isCommon(about)) return FIT.whole;
  if (endsWith(about, of) || (endsWith(of, about) && !isCommon(about))) return FIT.ending;
  if (endsWith(about, part) && !isCommon(part)) return FIT.ending;
  return column.isCode && about.at(-1) === of.at(-1) ? FIT.head : FIT.none;
}
