import { columnPath } from '../formula/index.ts';
import type { ProfileDocument } from './document.ts';

/** A column that weighs something else than before, is new or gone: bytes. */
export interface WeightChange {
  readonly path: string;
  readonly before: number | undefined;
  readonly after: number | undefined;
}

export interface ProfileChange {
  /** What grew or shrank, is new or gone, by how much it differs. */
  readonly changes: readonly WeightChange[];
  readonly beforeBytes: number;
  readonly afterBytes: number;
  readonly tables: readonly {
    readonly name: string;
    readonly rowsBefore: number | undefined;
    readonly rowsAfter: number | undefined;
  }[];
}

type Compared = Pick<ProfileDocument, 'totalBytes'> & {
  readonly tables: readonly {
    readonly name: string;
    readonly rows: number;
    readonly columns: readonly { readonly name: string; readonly totalBytes: number }[];
  }[];
};

/**
 * What grew, shrank, is new or is gone from one profile to another; names are told apart without their case.
 */
export function compareProfiles(before: Compared, after: Compared): ProfileChange {
  const columns = pairs(sizesOf(before), sizesOf(after));
  const tables = pairs(rowsOf(before), rowsOf(after));
  return {
    changes: columns
      .filter(([, a, b]) => a !== b)
      .map(([path, a, b]) => ({ path, before: a, after: b }))
      .sort((x, y) => differenceOf(y) - differenceOf(x) || (x.path < y.path ? -1 : 1)),
    beforeBytes: before.totalBytes,
    afterBytes: after.totalBytes,
    tables: tables
      .filter(([, a, b]) => a !== b)
      .map(([name, a, b]) => ({ name, rowsBefore: a, rowsAfter: b })),
  };
}

const differenceOf = ({ before = 0, after = 0 }: WeightChange): number => Math.abs(after - before);

type Named = ReadonlyMap<string, { readonly name: string; readonly value: number }>;

const named = (all: readonly (readonly [string, number])[]): Named =>
  new Map(all.map(([name, value]) => [name.toLowerCase(), { name, value }]));
const sizesOf = ({ tables }: Compared): Named =>
  named(tables.flatMap((t) => t.columns.map((c) => [columnPath(t.name, c.name), c.totalBytes] as const)));
const rowsOf = ({ tables }: Compared): Named => named(tables.map((t) => [t.name, t.rows] as const));

function pairs(before: Named, after: Named): [name: string, number | undefined, number | undefined][] {
  const keys = new Set([...after.keys(), ...before.keys()]);
  return [...keys].map((key) => {
    const [a, b] = [before.get(key), after.get(key)];
    return [(b ?? a)!.name, a?.value, b?.value];
  });
}
