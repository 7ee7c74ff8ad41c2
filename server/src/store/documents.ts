import type { Connection } from './database.ts';

/**
 * A text as what it has in place of a part of another: `[from, until, middle]` in UTF-16 units of the other
 * text. One region is told apart, which is what an edit changes; the rest, before and behind it, is alike.
 */
export type Difference = readonly [from: number, until: number, middle: string];

export function differenceOf(before: string, after: string): Difference {
  const most = Math.min(before.length, after.length);
  let from = 0;
  while (from < most && before.charCodeAt(from) === after.charCodeAt(from)) from++;
  let behind = 0;
  while (
    behind < most - from &&
    before.charCodeAt(before.length - 1 - behind) === after.charCodeAt(after.length - 1 - behind)
  )
    behind++;
  return [from, before.length - behind, after.slice(from, after.length - behind)];
}

export const applyDifference = (before: string, [from, until, middle]: Difference): string =>
  before.slice(0, from) + middle + before.slice(until);

/**
 * After so many differences the document is stored whole, so that an old revision is put together from few.
 */
export const MOST_DIFFERENCES = 32;

/**
 * How a document is stored: whole, as the model's JSON, which begins with a brace; or as its difference from
 * that of the revision before, with a bracket.
 */
const isWhole = (stored: string): boolean => !stored.startsWith('[');

/** The document at the head of a chain that ends with a whole one. */
const assembled = (chain: readonly string[]): string =>
  chain.reduceRight((text, stored) => applyDifference(text, JSON.parse(stored) as Difference));

/** The documents of revisions in a workspace. */
export class Documents {
  constructor(private readonly db: Connection) {}

  /** The document of a revision, put together from the last one that was stored whole. */
  read(revision: number): string {
    return assembled(this.chain(revision));
  }

  /** What to store for a document whose revision follows `parent`. */
  toStore(document: string, parent: number | null): string {
    if (parent === null) return document;
    const chain = this.chain(parent);
    if (chain.length > MOST_DIFFERENCES) return document;
    const difference = JSON.stringify(differenceOf(assembled(chain), document));
    // Where a large part has changed, the whole is as short.
    return difference.length * 2 < document.length ? difference : document;
  }

  /** What is stored of a revision and of those before it, back to the last whole one. */
  private chain(revision: number): string[] {
    const one = this.db.prepare('select document, parent_id as parent from revision where id = ?');
    const found: string[] = [];
    for (let id: number | null = revision; id !== null;) {
      const row = one.get(id) as { document: string; parent: number | null };
      found.push(row.document);
      if (isWhole(row.document)) return found;
      id = row.parent;
    }
    throw new Error(
      `the document of revision ${revision} is not whole: the revision that it follows is gone`,
    );
  }
}
