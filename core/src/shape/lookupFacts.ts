import type { TableData } from '../columns/index.ts';
import type { StepArgument } from '../model/index.ts';
import type { JoinFinding } from './joinFindings.ts';
import { sampleKeys } from './joinFindings.ts';
import { matchLookup } from './lookupMatch.ts';

/** What a lookup finds. */
export interface LookupFacts {
  readonly table: string;
  readonly ownRows: number;
  readonly theirRows: number;
  /** Rows for which a row was found. */
  readonly found: number;
  /** Rows whose key is null or not there. */
  readonly lone: number;
  /** Rows whose key is there, but no row of it valid on their day. */
  readonly invalid: number;
  /** Rows for which more than one row would have done. */
  readonly several: number;
  readonly findings: readonly JoinFinding[];
}

/** What there is to say of a lookup, with the keys that do it. Throws DataError. */
export function lookupFacts(input: TableData, other: TableData, lookup: StepArgument<'lookup'>): LookupFacts {
  const { match, rows, several } = matchLookup(input, other, lookup);
  const [missed, ambiguous] = [new Uint32Array(match.size), new Uint32Array(match.size)];
  let [found, invalid, twice] = [0, 0, 0];
  match.own.forEach((key, row) => {
    if (rows[row]! >= 0) found++;
    else {
      missed[key]!++;
      if (match.theirRows[key]! > 0 && key !== 0) invalid++;
    }
    if (several[row]) {
      ambiguous[key]!++;
      twice++;
    }
  });
  const findings: JoinFinding[] = [];
  const joined = { input, other, on: lookup.on };
  const say = (kind: JoinFinding['kind'], of: Uint32Array, total: number) => {
    if (total === 0) return;
    const keys = [...of.entries()]
      .filter(([key, n]) => key > 0 && n > 0)
      .map(([key, harm]) => ({ key, harm }));
    findings.push({ kind, rows: total, keys: keys.length, sample: sampleKeys(keys, match, joined) });
  };
  say('misses', missed, input.rowCount - found);
  say('chooses', ambiguous, twice);
  return {
    table: lookup.table,
    ownRows: input.rowCount,
    theirRows: other.rowCount,
    found,
    lone: input.rowCount - found - invalid,
    invalid,
    several: twice,
    findings,
  };
}
