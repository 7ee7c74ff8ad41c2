import { toJson } from '../values/index.ts';
import type { TableData } from '../columns/index.ts';
import { valueAt } from '../columns/index.ts';
import type { JoinKind } from '../model/index.ts';
import type { JoinMatch } from './joinMatch.ts';
import { stepColumn } from './step.ts';

type Json = null | boolean | number | string;

/** A key that speaks against a join, with its rows on both sides. */
export interface JoinKey {
  readonly key: readonly Json[];
  readonly own: number;
  readonly theirs: number;
}

/**
 * What a join does that nobody may have wanted. `multiplies`: rows come out several times, because their key
 * stands several times on the other side.
 * `loses`: rows without a partner are left out. `repeats`: rows of the other side come several times, and
 * with them its quantities. A lookup `misses` where it finds no row, and `chooses` where more than one would
 * do.
 */
export interface JoinFinding {
  readonly kind: 'multiplies' | 'loses' | 'repeats' | 'misses' | 'chooses';
  /** Rows more, fewer, or repeated. */
  readonly rows: number;
  /** Keys that do it. */
  readonly keys: number;
  /** The keys that do it most. */
  readonly sample: readonly JoinKey[];
  /** With `repeats`: the quantities that no longer add up. */
  readonly quantities?: readonly string[];
}

interface Joined {
  readonly input: TableData;
  readonly other: TableData;
  readonly on: readonly (readonly [string, string])[];
  readonly kind: JoinKind;
  /** Quantities of the other side that come along. */
  readonly quantities: readonly string[];
}

const SAMPLED = 10;

/** What there is to say against a join. */
export function joinFindings(match: JoinMatch, joined: Joined): JoinFinding[] {
  const { ownRows, theirRows, size } = match;
  const found: JoinFinding[] = [];
  const keysWhere = (harm: (own: number, theirs: number) => number) => {
    const keys: { key: number; harm: number }[] = [];
    let rows = 0;
    for (let key = 1; key < size; key++) {
      const more = harm(ownRows[key]!, theirRows[key]!);
      if (more === 0) continue;
      rows += more;
      keys.push({ key, harm: more });
    }
    return { rows, keys: keys.length, sample: sampleKeys(keys, match, joined) };
  };
  const more = keysWhere((own, theirs) => (theirs > 1 ? own * (theirs - 1) : 0));
  if (more.rows > 0) found.push({ kind: 'multiplies', ...more });
  if (joined.kind === 'inner') {
    const lost = keysWhere((own, theirs) => (theirs === 0 ? own : 0));
    // Null keys meet nothing, and are lost too.
    if (lost.rows + ownRows[0]! > 0) found.push({ kind: 'loses', ...lost, rows: lost.rows + ownRows[0]! });
  }
  if (joined.quantities.length > 0) {
    const again = keysWhere((own, theirs) => (own > 1 ? theirs * (own - 1) : 0));
    if (again.rows > 0) found.push({ kind: 'repeats', ...again, quantities: joined.quantities });
  }
  return found;
}

/** The keys that do most harm, with their rows. */
export const sampleKeys = (
  keys: readonly { readonly key: number; readonly harm: number }[],
  match: JoinMatch,
  joined: Pick<Joined, 'input' | 'other' | 'on'>,
): JoinKey[] =>
  [...keys]
    .sort((a, b) => b.harm - a.harm)
    .slice(0, SAMPLED)
    .map(({ key }) => keyOf(key, match, joined));

function keyOf(
  key: number,
  match: JoinMatch,
  { input, other, on }: Pick<Joined, 'input' | 'other' | 'on'>,
): JoinKey {
  const row = match.own.indexOf(key);
  const theirs = row < 0 ? match.theirs.indexOf(key) : -1;
  return {
    key: on.map(([a, b]) => {
      const column = row >= 0 ? stepColumn(input, a, 'join') : stepColumn(other, b, 'join');
      return toJson(valueAt(column, row >= 0 ? row : theirs), column.type);
    }),
    own: match.ownRows[key]!,
    theirs: match.theirRows[key]!,
  };
}
