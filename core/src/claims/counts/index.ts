import type { ModelData } from '../../query/index.ts';
import type { Evidence } from '../evidence.ts';
import type { Count, CountKind, RunCount } from './count.ts';
import { countDiffering } from './differing.ts';
import { countNulls } from './nulls.ts';
import { countOrphans } from './orphans.ts';
import { countOutside } from './outside.ts';
import { countRepeated } from './repeated.ts';
import { countShares } from './shares.ts';

export type { Count, DifferingCount } from './count.ts';
export { differing } from './differing.ts';

/** How each kind of count is run on encoded columns. */
const RUNS: { readonly [K in CountKind]: RunCount<Extract<Count, { count: K }>> } = {
  nulls: countNulls,
  repeated: countRepeated,
  orphans: countOrphans,
  outside: countOutside,
  differing: countDiffering,
  shares: countShares,
};

export const runCount = (count: Count, data: ModelData): Evidence =>
  (RUNS[count.count] as RunCount<Count>)(count, data);

/** Several counts as one: numbers add up, the sample is that of the one with most against it. */
export function runCounts(counts: readonly Count[], data: ModelData): Evidence {
  const all = counts.map((count) => runCount(count, data));
  if (all.length === 1) return all[0]!;
  const worst = [...all].sort((a, b) => b.against - a.against)[0];
  const sum = (of: (e: Evidence) => number) => all.reduce((n, e) => n + of(e), 0);
  return { ...worst, checked: sum((e) => e.checked), against: sum((e) => e.against) };
}
