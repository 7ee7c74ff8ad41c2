import type { Column } from '../columns/index.ts';
import { SEGMENT_ROWS } from '../columns/index.ts';
import { columnPath } from '../formula/index.ts';
import type { Hierarchy, Model, Relationship, Table } from '../model/index.ts';
import { sameName, stepsOf } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { DataError } from '../query/index.ts';
import { formatType } from '../values/index.ts';
import type { Given } from './determines.ts';
import { bestGiven } from './determines.ts';
import { hierarchySize } from './hierarchySize.ts';
import type { RelationshipSize } from './relationshipSizes.ts';
import { heldRelationships, relationshipSize } from './relationshipSizes.ts';
import type { Uses } from './usedBy.ts';
import { usesOfColumns } from './usedBy.ts';
import type { ColumnWeight } from './weight.ts';
import { weigh } from './weight.ts';

export interface ColumnProfile extends ColumnWeight {
  readonly name: string;
  readonly type: string;
  /** Set for a derived column: it is worked out where it is needed, and weighs so much while it is. */
  readonly formula?: string;
  readonly distinct: number;
  readonly nulls: number;
  readonly runs: number;
  readonly totalBytes: number;
  /** Of the whole profile, 0 to 1. */
  readonly share: number;
  /** The column of the table that determines it best, where one does. */
  readonly given?: Given;
  /** The least bits for each row that its codes need by what was measured; never above what they take. */
  readonly leastBits: number;
  /** What uses it, in words: `measure Loans`, `relationship loan_branch`. */
  readonly usedBy: readonly string[];
  /** Why it cannot be had: all figures are then 0. */
  readonly fault?: string;
}

export interface TableProfile {
  readonly name: string;
  readonly role: Table['role'];
  /** Whether steps make it from other tables. */
  readonly derived: boolean;
  readonly rows: number;
  readonly segments: number;
  readonly dataBytes: number;
  readonly dictionaryBytes: number;
  readonly relationshipBytes: number;
  readonly hierarchyBytes: number;
  readonly totalBytes: number;
  readonly share: number;
  readonly columns: readonly ColumnProfile[];
  /** Why it cannot be had: no rows yet, or a step that fails. */
  readonly fault?: string;
}

/** What a model weighs: all sizes are of real encodings, and every sum is that of its parts. */
export interface Profile {
  readonly tables: readonly TableProfile[];
  readonly relationships: readonly Omit<RelationshipSize, 'table'>[];
  readonly hierarchies: readonly { readonly name: string; readonly bytes: number }[];
  readonly totalBytes: number;
}

/** May have a figure from before, by what it rests on, or makes it. */
export interface KeptFigures {
  rows(table: string, make: () => number): number;
  column(table: string, column: string, make: () => ColumnWeight & Counted): ColumnWeight & Counted;
  /** For each column of a table the one that determines it best. */
  given(table: Table, make: () => (Given | undefined)[]): readonly (Given | undefined)[];
  relationship(r: Relationship, make: () => RelationshipSize | undefined): RelationshipSize | undefined;
  hierarchy(h: Hierarchy, make: () => number): number;
}

/** What is counted of a column beside its weight. */
export interface Counted {
  readonly type: string;
  readonly distinct: number;
  readonly nulls: number;
  readonly runs: number;
}

const NOT_KEPT: KeptFigures = {
  rows: (_, make) => make(),
  column: (_, __, make) => make(),
  given: (_, make) => make(),
  relationship: (_, make) => make(),
  hierarchy: (_, make) => make(),
};

type Unshared<T> = Omit<T, 'share'>;

/**
 * What every column, relationship and hierarchy of the model weighs, staging tables apart, beside what its
 * values need. `kept` gives figures that are known.
 */
export function profileModel(data: ModelData, kept: KeptFigures = NOT_KEPT): Profile {
  const { model } = data;
  const uses = usesOfColumns(data);
  const relationships = heldRelationships(model).flatMap((r) => {
    const size = kept.relationship(r, () => relationshipSize(data, r));
    return size ? [size] : [];
  });
  const hierarchies = (model.hierarchies ?? []).map((h) => ({
    name: columnPath(h.table, h.name),
    table: h.table,
    bytes: kept.hierarchy(h, () => hierarchySize(data, h)),
  }));
  const tables = profiledTables(model).map((table) => {
    const own = profileTable(data, table, uses, kept);
    const sum = (of: { readonly table: string; readonly bytes: number }[]) =>
      of.filter((x) => sameName(x.table, table.name)).reduce((total, { bytes }) => total + bytes, 0);
    const [relationshipBytes, hierarchyBytes] = [sum(relationships), sum(hierarchies)];
    return {
      ...own,
      relationshipBytes,
      hierarchyBytes,
      totalBytes: own.dataBytes + own.dictionaryBytes + relationshipBytes + hierarchyBytes,
    };
  });
  const totalBytes = tables.reduce((sum, t) => sum + t.totalBytes, 0);
  const share = (bytes: number) => (totalBytes === 0 ? 0 : bytes / totalBytes);
  return {
    tables: tables.map((t) => ({
      ...t,
      share: share(t.totalBytes),
      columns: t.columns.map((c) => ({ ...c, share: share(c.totalBytes) })),
    })),
    relationships: relationships.map(({ table: _, ...r }) => r),
    hierarchies: hierarchies.map(({ name, bytes }) => ({ name, bytes })),
    totalBytes,
  };
}

/** Tables whose rows are weighed: staging tables only feed others. */
export const profiledTables = (model: Model): readonly Table[] =>
  model.tables.filter((t) => t.role !== 'staging');

type OwnProfile = Unshared<
  Omit<TableProfile, 'relationshipBytes' | 'hierarchyBytes' | 'totalBytes' | 'columns'>
> & {
  readonly columns: readonly Unshared<ColumnProfile>[];
};

function profileTable(data: ModelData, table: Table, uses: Uses, kept: KeptFigures): OwnProfile {
  const head = { name: table.name, role: table.role, derived: stepsOf(table).length > 0 };
  const rows = orFault(() => kept.rows(table.name, () => data.rowCount(table.name)));
  if (typeof rows === 'string')
    return { ...head, rows: 0, segments: 0, dataBytes: 0, dictionaryBytes: 0, columns: [], fault: rows };
  const weighed = table.columns.map((c) =>
    orFault(() =>
      kept.column(table.name, c.name, () => {
        const column = data.column(table.name, c.name);
        const { distinct, nulls, runs } = column;
        return { type: formatType(column.type), distinct, nulls, runs, ...weigh(column) };
      }),
    ),
  );
  const given = kept.given(table, () => givenOf(data, table, weighed));
  const columns = table.columns.map((c, i): Unshared<ColumnProfile> => {
    const weight = weighed[i]!;
    const usedBy = uses.get(columnPath(table.name, c.name).toLowerCase()) ?? [];
    const said = { name: c.name, ...(c.formula === undefined ? {} : { formula: c.formula }), usedBy };
    if (typeof weight === 'string') return { ...said, ...NOTHING, type: c.type, fault: weight };
    const { [i]: best } = given;
    return {
      ...said,
      ...weight,
      totalBytes: weight.dataBytes + weight.dictionaryBytes,
      ...(best ? { given: best } : {}),
      leastBits: leastOf(weight, best, rows),
    };
  });
  const sum = (of: (c: Unshared<ColumnProfile>) => number) => columns.reduce((n, c) => n + of(c), 0);
  return {
    ...head,
    rows,
    segments: Math.ceil(rows / SEGMENT_ROWS),
    dataBytes: sum((c) => c.dataBytes),
    dictionaryBytes: sum((c) => c.dictionaryBytes),
    columns,
  };
}

const NOTHING = {
  distinct: 0,
  nulls: 0,
  runs: 0,
  dataBytes: 0,
  dictionaryBytes: 0,
  totalBytes: 0,
  encoding: 'empty',
  held: [],
  alternatives: [],
  valueBits: 0,
  runBits: 0,
  stepBits: null,
  leastBits: 0,
} as const satisfies Partial<ColumnProfile>;

function givenOf(
  data: ModelData,
  table: Table,
  weighed: readonly (ColumnWeight | string)[],
): (Given | undefined)[] {
  const had = table.columns.flatMap((c, i) => (typeof weighed[i] === 'string' ? [] : [{ c, i }]));
  const columns: Column[] = had.map(({ c }) => data.column(table.name, c.name));
  const own = had.map(({ i }) => {
    const { valueBits, runBits, stepBits } = weighed[i] as ColumnWeight;
    return Math.min(valueBits, runBits, stepBits ?? Infinity);
  });
  const found = bestGiven(columns, own);
  const all: (Given | undefined)[] = table.columns.map(() => undefined);
  had.forEach(({ i }, k) => (all[i] = found[k]));
  return all;
}

/** What an encoding gets by with is all that it needs, whatever an average says. */
const leastOf = (weight: ColumnWeight, given: Given | undefined, rows: number): number =>
  rows === 0
    ? 0
    : Math.min(
        (8 * weight.dataBytes) / rows,
        weight.valueBits,
        weight.runBits,
        weight.stepBits ?? Infinity,
        given?.bits ?? Infinity,
      );

/** What is worked out, or why it cannot be. */
function orFault<T>(work: () => T): T | string {
  try {
    return work();
  } catch (error) {
    if (error instanceof DataError) return error.message;
    throw error;
  }
}
