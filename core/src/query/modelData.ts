import type { Value } from '../values/index.ts';
import { DATE, parseType, TEXT, textReader } from '../values/index.ts';
import type { Codes, Column, RowLists, TableData } from '../columns/index.ts';
import { columnValues, combinations } from '../columns/index.ts';
import type { Model, PlainQuery, Relationship, Table } from '../model/index.ts';
import { sameName, splitPath } from '../model/index.ts';
import type { Path, RowIndex, Via } from '../relate/index.ts';
import type { DataOracle, TypedAggregate } from '../formula/index.ts';
import { FormulaChecker, mentionsRole, withRoles } from '../formula/index.ts';
import { PlannedScan } from './compiled/plannedScan.ts';
import type { Executor, FoundCell, ModelRows } from './modelRows.ts';
import { DataError } from './dataError.ts';
import { derivedColumn } from './derivedColumn.ts';
import { LookupRecorder } from './lookupRecorder.ts';
import { aggregateRows } from './rowFormula.ts';
import type { KeyColumns, PathStart } from './rowIndexes.ts';
import { RowIndexes } from './rowIndexes.ts';

/** Why rows cannot be looked at: they lie in their database, or would have to come from it one by one. */
const NOT_HERE: ReadonlySet<string> = new Set(['passed-through', 'limit']);

/**
 * The stored rows of a table by its name in the model, with the corrections that hold as of a day (days since
 * 1970-01-01; by default the model's own).
 */
export type TableRows = (table: string, asOf?: number) => TableData;

/**
 * The rows of one model revision: stored and derived columns, worked out on demand and kept; with the row
 * indexes along its relationships. Row numbers count from 0; row references are row + 1, with 0 for no row.
 */
export class ModelData implements DataOracle, ModelRows {
  readonly checker: FormulaChecker;
  private readonly derived = new Map<string, Column>();
  private readonly deriving = new Set<string>();
  private readonly paths: RowIndexes;
  private readonly lookups: LookupRecorder;
  private roled: ModelData | undefined;
  /** Of the last question with parts on the spot: it is kept, as while one types a filter beside them. */
  private variant: { readonly key: string; readonly data: ModelData } | undefined;
  private readonly determined = new Map<string, boolean>();
  /** The cells of the answer that was given last, with the question: what is asked next is often about it. */
  lastAnswer: { readonly question: string; readonly cells: readonly FoundCell[] } | undefined;

  /**
   * `load` gives the stored rows of a table by its name in the model; it throws DataError where there are
   * none. `executor` runs scans.
   */
  constructor(
    readonly model: Model,
    private readonly load: TableRows,
    /** Days since 1970-01-01; stands in for a missing `asOf`. */
    readonly today: number,
    readonly executor: Executor = 'auto',
    /** May have a derived column from an earlier revision, or makes it. */
    private readonly kept: (table: string, column: string, make: () => Column) => Column = (_, __, make) =>
      make(),
    rowsOf?: ReadonlyMap<string, string>,
  ) {
    this.checker = new FormulaChecker(model, this, rowsOf);
    this.lookups = new LookupRecorder(this.checker);
    this.paths = new RowIndexes(this, (path) => this.lookups.follow(path));
  }

  /**
   * What a query is asked of: these data, or, where it names roles of dimensions, the same with a table for
   * each role.
   */
  forQuery(query: PlainQuery): ModelData {
    if (!mentionsRole(this.model, query)) return this;
    if (!this.roled) {
      const { model, rowsOf } = withRoles(this.model);
      const stored = (name: string) => rowsOf.get(name.toLowerCase()) ?? name;
      const load: TableRows = (name, asOf) => this.load(this.modelTable(stored(name)).name, asOf);
      this.roled = new ModelData(
        model,
        load,
        this.today,
        this.executor,
        (table, column) => this.column(stored(table), column),
        rowsOf,
      );
    }
    return this.roled;
  }

  /**
   * The same rows under a model that has more columns by formula and measures than this one, or another as-of
   * day. The last one is kept.
   */
  ofModel(model: Model): ModelData {
    if (model === this.model) return this;
    const key = JSON.stringify([
      model.asOf,
      model.tables.map((t, i) => t.columns.slice(this.model.tables[i]!.columns.length)),
      (model.measures ?? []).slice(this.model.measures?.length ?? 0),
    ]);
    if (this.variant?.key !== key) {
      const isOtherDay = model.asOf !== this.model.asOf && model.asOf !== undefined;
      const day = isOtherDay ? (textReader(DATE)(model.asOf!) as number) : this.today;
      const rows: TableRows = (name, asOf = day) => this.load(this.modelTable(name).name, asOf);
      const areSame = day === this.today || !this.changesBy(day);
      const data = new ModelData(model, rows, day, this.executor, (table, column, make) =>
        areSame && this.checker.names.column(table, column) ? this.column(table, column) : make(),
      );
      this.variant = { key, data };
    }
    return this.variant.data;
  }

  /** Whether a table that is corrected has other values as of a day. */
  private changesBy(day: number): boolean {
    return (this.model.corrections ?? []).some(({ of }) => {
      const table = this.checker.names.table(splitPath(of)?.[0] ?? '');
      return table !== undefined && this.load(table.name, day) !== this.load(table.name);
    });
  }

  modelTable(name: string): Table {
    const table = this.checker.names.table(name);
    if (!table) throw new DataError(`the model has no table "${name}"`);
    return table;
  }

  /** Stored rows; derived columns are had by `column`. */
  table(name: string): TableData {
    return this.load(this.modelTable(name).name);
  }

  rowCount(name: string): number {
    return this.table(name).rowCount;
  }

  /**
   * A column of the model, stored or derived. Throws DataError for a broken formula or a column that the data
   * lack.
   */
  column(tableName: string, columnName: string): Column {
    const table = this.modelTable(tableName);
    const declared = this.checker.names.column(table, columnName);
    if (!declared) throw new DataError(`the model has no column "${tableName}.${columnName}"`);
    if (declared.formula === undefined) {
      const stored = this.table(table.name).columns.get(declared.name.toLowerCase());
      if (!stored)
        throw new DataError(
          `the rows of ${table.name} hold no column "${declared.name}": load the table again, or give the column a formula`,
          { code: 'not-loaded' },
        );
      return stored;
    }
    this.lookups.followFormula(table, declared.name, declared.formula);
    const key = `${table.name}.${declared.name}`.toLowerCase();
    let column = this.derived.get(key);
    if (!column) {
      if (this.deriving.has(key))
        throw new DataError(`the column ${table.name}.${declared.name} is derived from itself`);
      this.deriving.add(key);
      try {
        const { name, formula, type } = declared;
        column = this.kept(table.name, name, () =>
          this.derive(table, name, formula, parseType(type) ?? TEXT),
        );
      } finally {
        this.deriving.delete(key);
      }
      this.derived.set(key, column);
    }
    return column;
  }

  private derive(table: Table, name: string, formula: string, type: Column['type']): Column {
    const checked = this.checker.column(table, name, formula, type);
    if (!checked.typed)
      throw new DataError(
        `the formula of ${table.name}.${name} is broken: ${checked.faults[0]?.message ?? 'it rests on a broken one'}`,
        { code: 'rests-on', claim: `formula-valid:${table.name}.${name}` },
      );
    return derivedColumn(this, table.name, checked.typed, name, type);
  }

  /** An aggregate of a row formula: for each row of its owner, over the base rows that refer to it. */
  referring(node: TypedAggregate & { readonly owner: string }): Value[] {
    const planned = PlannedScan.byOwner(this, node);
    if (planned) return planned;
    const index = this.lookupIndex(node.base, node.owner);
    const groups = Int32Array.from({ length: this.rowCount(node.base) }, (_, row) =>
      index ? index[row]! - 1 : row,
    );
    return aggregateRows(this, node, groups, this.rowCount(node.owner), []);
  }

  /**
   * Does something, and tells along which relationships rows were looked up for it, also those that derived
   * columns look up.
   */
  following<T>(act: () => T): { result: T; followed: ReadonlySet<Relationship> } {
    return this.lookups.following(act);
  }

  hasSeveralPartners(r: Relationship): boolean {
    return this.paths.hasSeveralPartners(r);
  }

  pathIndex(path: Path): RowIndex | undefined {
    return this.paths.pathIndex(path);
  }

  pathStart(path: Path): PathStart | undefined {
    return this.paths.pathStart(path);
  }

  entryLists(entering: KeyColumns, met: KeyColumns): RowLists & { keyOf: Uint32Array } {
    return this.paths.entryLists(entering, met);
  }

  /**
   * What decides which row of another table is looked up: codes, each below `size`. Undefined for the table
   * itself.
   */
  startOf(
    base: string,
    table: string,
    via: Via = [],
  ): { readonly codes: Codes; readonly size: number } | undefined {
    const path = this.checker.reach.lookup(base, table, via);
    if (!path) throw notLookedUp(base, table);
    const start = this.pathStart(path);
    return (
      start && { codes: start.codes, size: start.rowOf?.length ?? this.rowCount(path.at(-1)!.to.table) + 1 }
    );
  }

  /** Row references from a table to one that it looks up. */
  lookupIndex(base: string, table: string, via: Via = []): RowIndex | undefined {
    const path = this.checker.reach.lookup(base, table, via);
    if (!path) throw notLookedUp(base, table);
    return this.pathIndex(path);
  }

  /** The columns of one end of a relationship as a table, derived columns included. */
  ends(end: { table: string; columns: readonly string[] }): TableData {
    const table = this.table(end.table);
    const missing = end.columns.filter(
      (name) =>
        !table.columns.has(name.toLowerCase()) ||
        this.checker.names.column(end.table, name)?.formula !== undefined,
    );
    if (missing.length === 0) return table;
    const columns = new Map(table.columns);
    for (const name of missing) columns.set(name.toLowerCase(), this.column(end.table, name));
    return { ...table, columns };
  }

  determines(table: string, levelColumns: readonly string[], column: string): boolean {
    const key = JSON.stringify([table, levelColumns, column]).toLowerCase();
    let known = this.determined.get(key);
    if (known === undefined) {
      known = this.isDetermined(table, levelColumns, column);
      this.determined.set(key, known);
    }
    return known;
  }

  /** Of rows that are not here columns are taken to be coarse enough: who has them finds out. */
  private isDetermined(table: string, levelColumns: readonly string[], column: string): boolean {
    try {
      const level = levelColumns.map((name) => this.column(table, name));
      return (
        countCombinations([...level, this.column(table, column)], level) === countCombinations(level, level)
      );
    } catch (error) {
      if (error instanceof DataError && NOT_HERE.has(error.reason.code)) return true;
      throw error;
    }
  }

  /**
   * Days (ascending) of all rows of a calendar table that have one, and the row's day by row; -1 for none is
   * NaN.
   */
  calendarDays(table: string): { sorted: number[]; byRow: (number | null)[] } {
    const calendar = (this.model.calendars ?? []).find((c) => sameName(c.table, table));
    if (!calendar) throw new DataError(`${table} is no calendar of the model`);
    const column = this.column(table, calendar.day);
    const values = columnValues(column);
    const byRow = Array.from(column.codes, (code) => values[code] as number | null);
    const sorted = [...new Set(byRow.filter((day): day is number => day !== null))].sort((x, y) => x - y);
    return { sorted, byRow };
  }
}

/** Distinct combinations over the rows in which no level column is null. */
function countCombinations(columns: readonly Column[], level: readonly Column[]): number {
  const { numbers, size } = combinations(columns, columns[0]!.rowCount);
  const met = new Uint8Array(size);
  numbers.forEach((number, row) => {
    if (level.every((column) => column.codes[row] !== 0)) met[number] = 1;
  });
  return met.reduce((n, is) => n + is, 0);
}

const notLookedUp = (base: string, table: string): DataError =>
  new DataError(`${table} is not looked up from ${base}`, {
    code: 'rests-on',
    claim: `path-single:${base}->${table}`,
  });
