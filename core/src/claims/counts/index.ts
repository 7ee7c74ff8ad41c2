import type { ModelData } from '../../query/index.ts';
import type { CountedBySql, CountInSql, RowsAsker } from './bySql.ts';
import { countEach } from './bySql.ts';
import type { Count, Counted, CountKind, RunCount } from './count.ts';
import { countDays, daysInSql } from './days.ts';
import { countDiffering, differingInSql } from './differing.ts';
import { countDigits, digitsInSql } from './digits.ts';
import { countLoops, loopsInSql } from './loops.ts';
import { countMisfits, misfitsInSql } from './misfits.ts';
import { countNulls, nullsInSql } from './nulls.ts';
import { countOrphans, orphansInSql } from './orphans.ts';
import { countOutside, outsideInSql } from './outside.ts';
import { countRepeated, repeatedInSql } from './repeated.ts';
import { countAllRows, rowsInSql } from './rows.ts';
import { countShares, sharesInSql } from './shares.ts';
import { countVersions, versionsInSql } from './versions.ts';

export type { CountedBySql, RowsAsker } from './bySql.ts';
export type { Count, Counted, DifferingCount, RepeatedCount } from './count.ts';
export { digitsOf } from './digits.ts';
export { lengthOf } from './misfits.ts';

type Of<K extends CountKind> = Extract<Count, { count: K }>;

/** How each kind of count is run on encoded columns, and how it is put in SQL. */
const KINDS: { readonly [K in CountKind]: { onColumns: RunCount<Of<K>>; inSql: CountInSql<Of<K>> } } = {
  rows: { onColumns: countAllRows, inSql: rowsInSql },
  nulls: { onColumns: countNulls, inSql: nullsInSql },
  repeated: { onColumns: countRepeated, inSql: repeatedInSql },
  orphans: { onColumns: countOrphans, inSql: orphansInSql },
  outside: { onColumns: countOutside, inSql: outsideInSql },
  differing: { onColumns: countDiffering, inSql: differingInSql },
  shares: { onColumns: countShares, inSql: sharesInSql },
  misfits: { onColumns: countMisfits, inSql: misfitsInSql },
  days: { onColumns: countDays, inSql: daysInSql },
  digits: { onColumns: countDigits, inSql: digitsInSql },
  versions: { onColumns: countVersions, inSql: versionsInSql },
  loops: { onColumns: countLoops, inSql: loopsInSql },
};

/** Counts that are made where rows lie; undefined for one that is made on columns. */
export type CountsElsewhere = (count: Count) => Counted | undefined;

const elsewhere = new WeakMap<ModelData, CountsElsewhere>();

/** From now on some counts on these data are made elsewhere: of rows that are not brought for them. */
export const countElsewhere = (data: ModelData, counts: CountsElsewhere): void =>
  void elsewhere.set(data, counts);

export const runCount = (count: Count, data: ModelData): Counted =>
  elsewhere.get(data)?.(count) ?? (KINDS[count.count].onColumns as RunCount<Count>)(count, data);

const inSql = (count: Count) => KINDS[count.count].inSql as CountInSql<Count>;

/** Whether a count looks at each row of its table by itself: then some of the rows tell of the others. */
export const isOfSingleRows = (count: Count): boolean => 'each' in inSql(count);

/** The most counts that one pass over a table serves: beyond that a statement gets hard to plan. */
const MOST_AT_ONCE = 40;

/**
 * Counts by SQL, those on single rows of one table in one pass. `found` hears each count with what was
 * counted, or with the error of the statement that it was part of.
 */
export async function countInSql(
  counts: readonly Count[],
  asker: RowsAsker,
  found: (count: Count, counted: CountedBySql) => void,
): Promise<void> {
  const byTable = new Map<string, Count[]>();
  const whole: Count[] = [];
  for (const count of counts) {
    if (!('each' in inSql(count))) whole.push(count);
    else byTable.set(count.table, [...(byTable.get(count.table) ?? []), count]);
  }
  for (const all of byTable.values())
    for (let at = 0; at < all.length; at += MOST_AT_ONCE)
      await countTogether(all.slice(at, at + MOST_AT_ONCE), asker, found);
  for (const count of whole) {
    const way = inSql(count);
    if (!('whole' in way)) continue;
    asker.lookups();
    const result = await orError(() => way.whole(count, asker));
    found(count, { result, followed: asker.lookups() });
  }
}

/** Where counts cannot be had together, each is tried by itself, so that one does not spoil the others. */
async function countTogether(
  counts: readonly Count[],
  asker: RowsAsker,
  found: (count: Count, counted: CountedBySql) => void,
): Promise<void> {
  const each: Extract<CountInSql<Count>, { each: unknown }>['each'] = (count, rows) => {
    const way = inSql(count);
    if (!('each' in way)) throw new TypeError(`${count.count} is not counted row by row`);
    return way.each(count, rows);
  };
  asker.lookups();
  const result = await orError(() => countEach(counts, each, asker));
  if (!(result instanceof Error)) counts.forEach((count, i) => found(count, result[i]!));
  else if (counts.length === 1) found(counts[0]!, { result, followed: new Set() });
  else for (const count of counts) await countTogether([count], asker, found);
}

async function orError<T>(act: () => Promise<T>): Promise<T | Error> {
  try {
    return await act();
  } catch (error) {
    return error instanceof Error ? error : new Error(String(error));
  }
}

/** Several counts as one: numbers add up, the sample is that of the one with most against it. */
export function together(all: readonly Counted[]): Counted {
  if (all.length === 1) return all[0]!;
  const worst = [...all].sort((a, b) => b.against - a.against)[0];
  const sum = (of: (e: Counted) => number) => all.reduce((n, e) => n + of(e), 0);
  return { ...worst, checked: sum((e) => e.checked), against: sum((e) => e.against) };
}
