import type { Codes } from '../../columns/index.ts';
import type { FieldResult, ScanPlan, ScanResult } from './plan.ts';
import type { ResultOf, ScanWork } from './runCompiled.ts';
import { isHashed, workOn } from './runCompiled.ts';

/**
 * Somebody who works on a part of a scan at the same time. `begin` gives a function that waits for the result
 * (undefined where there is none after all), or undefined where nobody is free.
 */
export interface ScanHelper {
  /** Gets ready while nothing is to be done yet. */
  prepare?(): void;
  begin<Work extends ScanWork>(work: Work): (() => ResultOf<Work> | undefined) | undefined;
}

/** With fewer rows than that, one alone is done as soon. */
const WORTH_HELP = 1 << 19;

let helper: ScanHelper | undefined;

/** Says who helps with scans in this thread; until the next call. */
export const helpScansWith = (one: ScanHelper | undefined): void => {
  helper = one;
};

/** Says that so many rows are read now, and will perhaps be scanned. */
export const scanIsNear = (rowCount: number): void => {
  if (rowCount >= WORTH_HELP) helper?.prepare?.();
};

/** Runs a plan, its second half by the helper of this thread where there is one and it is worth it. */
export function runHelped(plan: ScanPlan): ScanResult {
  const mayPart =
    plan.rowCount >= WORTH_HELP &&
    plan.fields.length > 0 &&
    // A count of all rows reads none.
    plan.inputs.length > 0 &&
    // Hashed groups are too many to be put together in less time than is won.
    !isHashed(plan) &&
    !plan.fields.some((f) => f.kind === 'distinct');
  const work = { kind: 'groups', plan } as const;
  if (!mayPart) return workOn(work);
  return inHalves(work, (first, second) => mergedScans(plan, first, second));
}

/** The rows of one group, ascending, of a plan that is not hashed: no list is made of the others. */
export function rowsOfGroup(plan: ScanPlan, group: number): Uint32Array {
  const work = { kind: 'rows', plan, group } as const;
  if (plan.rowCount < WORTH_HELP) return workOn(work);
  return inHalves(work, (first, second, from) => {
    const rows = new Uint32Array(first.length + second.length);
    rows.set(first);
    second.forEach((row, k) => (rows[first.length + k] = row + from));
    return rows;
  });
}

/** Half of the work is the helper's, where there is one; `from` is the row with which its half begins. */
function inHalves<Work extends ScanWork>(
  work: Work,
  together: (first: ResultOf<Work>, second: ResultOf<Work>, from: number) => ResultOf<Work>,
): ResultOf<Work> {
  const { plan } = work;
  const half = plan.rowCount >>> 1;
  const firstHalf = { ...work, plan: partOf(plan, 0, half) };
  const secondHalf = { ...work, plan: partOf(plan, half, plan.rowCount) };
  const second = helper?.begin(secondHalf);
  if (!second) return workOn(work);
  let first: ResultOf<Work>;
  try {
    first = workOn(firstHalf);
  } catch (error) {
    // The helper's result belongs to this scan: the next one must not take it for its own.
    second();
    throw error;
  }
  return together(first, second() ?? workOn(secondHalf), half);
}

/** The plan over some of its rows. */
export const partOf = (plan: ScanPlan, from: number, to: number): ScanPlan => ({
  ...plan,
  rowCount: to - from,
  inputs: plan.inputs.map((input): Codes => input.subarray(from, to)),
});

/** What a plan whose groups are not hashed gives over the rows of two parts: groups ascend. */
export function mergedScans(plan: ScanPlan, first: ScanResult, second: ScanResult): ScanResult {
  const at = new Int32Array(plan.size).fill(-1);
  for (const { groups } of [first, second]) for (const group of groups) at[group] = 0;
  let count = 0;
  for (let group = 0; group < at.length; group++) if (at[group] === 0) at[group] = count++;
  const met = new Float64Array(count);
  for (let group = 0; group < at.length; group++) if (at[group]! >= 0) met[at[group]!] = group;
  const [intoFirst, intoSecond] = [first, second].map(({ groups }) =>
    Uint32Array.from(groups, (group) => at[group]!),
  ) as [Uint32Array, Uint32Array];
  const added = (a: Float64Array, b: Float64Array): Float64Array => {
    const made = new Float64Array(count);
    for (let k = 0; k < a.length; k++) made[intoFirst[k]!]! += a[k]!;
    for (let k = 0; k < b.length; k++) made[intoSecond[k]!]! += b[k]!;
    return made;
  };
  const field = (a: FieldResult, b: FieldResult, kind: ScanPlan['fields'][number]['kind']): FieldResult => {
    if (a.kind === 'counts' && b.kind === 'counts')
      return { kind: 'counts', counts: added(a.counts, b.counts) };
    if (a.kind === 'codes' && b.kind === 'codes') {
      const codes = new Uint32Array(count);
      for (let k = 0; k < a.codes.length; k++) codes[intoFirst[k]!] = a.codes[k]!;
      for (let k = 0; k < b.codes.length; k++) {
        const [held, code] = [codes[intoSecond[k]!]!, b.codes[k]!];
        // 0 is the code of none.
        if (held === 0 || (code !== 0 && (kind === 'least' ? code < held : code > held)))
          codes[intoSecond[k]!] = code;
      }
      return { kind: 'codes', codes };
    }
    if (a.kind !== 'sums' || b.kind !== 'sums') throw new TypeError('the parts of a scan are of two plans');
    const counts = added(a.counts, b.counts);
    if (!(a.sums instanceof BigInt64Array) || !(b.sums instanceof BigInt64Array))
      return { kind: 'sums', counts, sums: added(a.sums as Float64Array, b.sums as Float64Array) };
    const sums = new BigInt64Array(count);
    for (let k = 0; k < a.sums.length; k++) sums[intoFirst[k]!] = a.sums[k]!;
    for (let k = 0; k < b.sums.length; k++) sums[intoSecond[k]!]! += b.sums[k]!;
    return { kind: 'sums', counts, sums };
  };
  return {
    groups: met,
    rows: added(first.rows, second.rows),
    fields: plan.fields.map(({ kind }, f) => field(first.fields[f]!, second.fields[f]!, kind)),
  };
}
