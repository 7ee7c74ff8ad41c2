import type { Value } from '../values/index.ts';
import { parseType, TEXT } from '../values/index.ts';
import type { Codes, Column, RowLists, TableData } from '../columns/index.ts';
import { columnValues, combinations, rowLists } from '../columns/index.ts';
import type { Model, Query, Relationship, Table } from '../model/index.ts';
import { cardinalityOf, sameName } from '../model/index.ts';
import type { Path, RowIndex, Via } from '../relate/index.ts';
import { chained, keyNumbers, meetsSeveral, rowByCode, rowIndex } from '../relate/index.ts';
import type { DataOracle, TypedAggregate } from '../formula/index.ts';
import { aggregatesOf, columnsOf, FormulaChecker, mentionsRole, withRoles } from '../formula/index.ts';
import { PlannedScan } from './compiled/plannedScan.ts';
import type { Executor, ModelRows } from './modelRows.ts';
import { DataError } from './dataError.ts';
import { derivedColumn } from './derivedColumn.ts';
import { aggregateRows } from './rowFormula.ts';

/**
 * The rows of one model revision: stored and derived columns, and row indexes along relationships, worked out
 * on demand and kept. Row numbers count from 0; row references are row + 1, with 0 for no row.
 */
export class ModelData implements DataOracle, ModelRows {
  readonly checker: FormulaChecker;
  private readonly derived = new Map<string, Column>();
  private readonly deriving = new Set<string>();
  private readonly indexes = new Map<string, RowIndex>();
  /** Row references by code of the column that a path begins with. */
  private readonly byCode = new Map<string, Uint32Array>();
  private roled: ModelData | undefined;
  private readonly determined = new Map<string, boolean>();
  private readonly entries = new Map<string, RowLists & { keyOf: Uint32Array }>();
  /** Relationships along which rows are looked up, while somebody wants to know. */
  private followed: Set<Relationship> | undefined;
  private readonly severalPartners = new Map<string, boolean>();

  /**
   * `load` gives the stored rows of a table by its name in the model; it throws DataError where there are
   * none. `executor` runs scans.
   */
  constructor(
    readonly model: Model,
    private readonly load: (table: string) => TableData,
    /** Days since 1970-01-01; stands in for a missing `asOf`. */
    readonly today: number,
    readonly executor: Executor = 'auto',
    /** May have a derived column from an earlier revision, or makes it. */
    private readonly kept: (table: string, column: string, make: () => Column) => Column = (_, __, make) =>
      make(),
    rowsOf?: ReadonlyMap<string, string>,
  ) {
    this.checker = new FormulaChecker(model, this, rowsOf);
  }

  /**
   * What a query is asked of: these data, or, where it names roles of dimensions, the same with a table for
   * each role.
   */
  forQuery(query: Query): ModelData {
    if (!mentionsRole(this.model, query)) return this;
    if (!this.roled) {
      const { model, rowsOf } = withRoles(this.model);
      const stored = (name: string) => rowsOf.get(name.toLowerCase()) ?? name;
      const load = (name: string) => this.table(stored(name));
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
    this.followFormula(table, declared.name, declared.formula, new Set());
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
    const before = this.followed;
    const followed = new Set<Relationship>();
    this.followed = followed;
    try {
      return { result: act(), followed };
    } finally {
      this.followed = before;
      if (before) for (const r of followed) before.add(r);
    }
  }

  private follow(path: Path): void {
    if (this.followed) for (const r of path) this.followed.add(r);
  }

  /** What a derived column looks up, whether it was worked out now or is known from before. */
  private followFormula(table: Table, name: string, formula: string, seen: Set<string>): void {
    const key = `${table.name}.${name}`.toLowerCase();
    if (!this.followed || seen.has(key)) return;
    seen.add(key);
    const declared = this.checker.names.column(table, name)!;
    const { typed } = this.checker.column(table, name, formula, parseType(declared.type) ?? TEXT);
    if (!typed) return;
    for (const node of aggregatesOf(typed)) {
      this.follow(this.checker.reach.lookup(table.name, node.owner ?? table.name) ?? []);
      this.follow(this.checker.reach.lookup(node.base, node.owner ?? table.name) ?? []);
    }
    for (const used of columnsOf(typed)) {
      this.follow(this.checker.reach.lookup(table.name, used.table) ?? []);
      const other = this.checker.names.table(used.table)!;
      const column = this.checker.names.column(other, used.column);
      if (column?.formula !== undefined) this.followFormula(other, column.name, column.formula, seen);
    }
  }

  /**
   * Whether a reference of some row meets several rows: then which of them it looks up is no fact of the
   * data.
   */
  hasSeveralPartners(r: Relationship): boolean {
    const kind = cardinalityOf(r);
    if (kind === 'many-to-many' || kind === 'many-to-level') return false;
    const key = r.name.toLowerCase();
    let known = this.severalPartners.get(key);
    if (known === undefined) {
      known = meetsSeveral(
        r.from.columns.map((name) => this.column(r.from.table, name)),
        r.to.columns.map((name) => this.column(r.to.table, name)),
      );
      this.severalPartners.set(key, known);
    }
    return known;
  }

  /**
   * Row references from each row of the path's start to its end; undefined for the empty path (the row
   * itself).
   */
  pathIndex(path: Path): RowIndex | undefined {
    if (path.length === 0) return undefined;
    this.follow(path);
    const key = path.map((r) => r.name.toLowerCase()).join('\n');
    let index = this.indexes.get(key);
    if (!index) {
      const last = path.at(-1)!;
      const hop =
        path.length === 1
          ? rowIndex(last, this.ends(last.from), this.ends(last.to))
          : this.pathIndex([last])!;
      index = path.length === 1 ? hop : chained(this.pathIndex(path.slice(0, -1))!, hop);
      this.indexes.set(key, index);
    }
    return index;
  }

  /**
   * The way along a path as one array over the rows of its start: row references, or the codes of the column
   * that begins the way, with the row reference of each code. Nothing is made per row where a column leads
   * there. Undefined for the empty path.
   */
  pathStart(path: Path): { readonly codes: Codes; readonly rowOf?: Uint32Array } | undefined {
    if (path.length === 0) return undefined;
    this.follow(path);
    const [first, ...rest] = path;
    if (first!.from.columns.length > 1) return { codes: this.pathIndex(path)! };
    const key = path.map((r) => r.name.toLowerCase()).join('\n');
    const column = this.column(first!.from.table, first!.from.columns[0]!);
    let rowOf = this.byCode.get(key);
    if (!rowOf) {
      rowOf = rowByCode(column, this.column(first!.to.table, first!.to.columns[0]!));
      const onward = this.pathIndex(rest);
      if (onward) rowOf = chained(rowOf, onward);
      this.byCode.set(key, rowOf);
    }
    return { codes: column.codes, rowOf };
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

  /**
   * For a relationship that rows come in by (a bridge's reference, or a many-to-many): the entering table's
   * rows by key, and the key of each row of the table that they come to. Key 0 is null and has no rows.
   */
  entryLists(
    entering: { table: string; columns: readonly string[] },
    met: { table: string; columns: readonly string[] },
  ): RowLists & { keyOf: Uint32Array } {
    const key = JSON.stringify([entering, met]).toLowerCase();
    let lists = this.entries.get(key);
    if (!lists) {
      const numbers = keyNumbers(
        entering.columns.map((c) => this.column(entering.table, c)),
        met.columns.map((c) => this.column(met.table, c)),
      );
      lists = { ...rowLists(numbers.from, numbers.size), keyOf: numbers.to };
      this.entries.set(key, lists);
    }
    return lists;
  }

  determines(table: string, levelColumns: readonly string[], column: string): boolean {
    const key = JSON.stringify([table, levelColumns, column]).toLowerCase();
    let known = this.determined.get(key);
    if (known === undefined) {
      const level = levelColumns.map((name) => this.column(table, name));
      known =
        countCombinations([...level, this.column(table, column)], level) === countCombinations(level, level);
      this.determined.set(key, known);
    }
    return known;
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
