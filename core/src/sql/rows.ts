import type { DataType } from '../values/index.ts';
import { comparable, INTEGER, parseType, TEXT } from '../values/index.ts';
import type { Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ColumnName } from '../formula/index.ts';
import type { CompiledQuery, Misfit, SqlSetting } from './compiled.ts';
import type { SqlDialect } from './dialect.ts';
import { quoted } from './dialect.ts';
import { From } from './from.ts';
import { MeasureSql } from './measures.ts';

/** A statement on rows: without the members and the meetings of a question. */
export type CompiledRows = Pick<CompiledQuery, 'sql' | 'parameters' | 'columns' | 'tables'>;

/** A value in canonical form. */
export interface SqlValue {
  readonly sql: string;
  readonly type: DataType;
}

export interface NamedValue extends SqlValue {
  readonly name: string;
}

/**
 * A statement on the rows of one table, with what is looked up from them: a FROM that grows as columns are
 * asked for, each row of the table once.
 */
export class RowsStatement extends MeasureSql {
  readonly base: Table;
  private readonly from: From;

  constructor(setting: SqlSetting, dialect: SqlDialect, table: string) {
    super(setting, dialect);
    this.base = this.tableOf(table);
    const stored = this.checker.names.stored(this.base.name)!;
    const rows = setting.baseRowsOf?.(stored) ?? this.rowsOf(this.base.name);
    this.from = new From(this, this.base.name, 'b', `${rows} b`, []);
  }

  /** What tells the rows apart, in the order in which they are stored. */
  get rowId(): string {
    return this.dialect.rowId('b');
  }

  /** A column of the table, or of one that it looks up; null where there is no partner. */
  column({ table, column }: ColumnName): SqlValue {
    const home = this.tableOf(table);
    if (sameName(home.name, this.base.name)) return this.valueIn(this.from, 'b', home, column);
    const path = this.checker.reach.lookup(this.base.name, home.name, []);
    if (!path) throw new TypeError(`${home.name} is not looked up from ${this.base.name}`);
    return this.valueIn(this.from, this.from.follow('b', path), home, column);
  }

  own(column: string): SqlValue {
    return this.column({ table: this.base.name, column });
  }

  /** How to tell a value of a column that does not fit its type; undefined where all do. */
  misfitOf(column: string): Misfit | undefined {
    return this.setting.misfitOf?.(this.base, column, 'b');
  }

  /** Columns of another table's rows, as a relation with the columns `v0`, `v1`, … */
  valuesOf(table: string, columns: readonly string[]): { sql: string; types: readonly DataType[] } {
    const home = this.tableOf(table);
    const alias = this.fresh('i');
    const from = new From(this, home.name, alias, `${this.rowsOf(home.name)} ${alias}`, []);
    const values = columns.map((name) => this.valueIn(from, alias, home, name));
    return {
      sql: `select ${values.map((v, i) => `${v.sql} as v${i}`).join(', ')} from ${from.sql}`,
      types: values.map((v) => v.type),
    };
  }

  private valueIn(from: From, alias: string, table: Table, column: string): SqlValue {
    const declared = this.checker.names.column(table, column)!;
    return { sql: from.column(alias, table, column), type: parseType(declared.type) ?? TEXT };
  }

  /** Whether two values are the same, across types that can be compared; never where they cannot. */
  equal(a: SqlValue, b: SqlValue): string {
    if (!comparable(a.type, b.type)) return this.dialect.false;
    return JSON.stringify(a.type) === JSON.stringify(b.type)
      ? `${a.sql} = ${b.sql}`
      : `${this.dialect.double(a.sql, a.type)} = ${this.dialect.double(b.sql, b.type)}`;
  }

  /**
   * Conditions under which a row looks up one of several partners on its way to the columns: none where every
   * partner is the only one.
   */
  severalPartners(columns: readonly ColumnName[]): string[] {
    const found = new Map<string, string>();
    for (const { table } of columns) {
      if (sameName(table, this.base.name)) continue;
      const path = this.checker.reach.lookup(this.base.name, table, []) ?? [];
      path.forEach((r, i) => {
        if (found.has(r.name) || this.isUnique(this.tableOf(r.to.table), r.to.columns)) return;
        const at = this.from.follow('b', path.slice(0, i));
        const own = r.from.columns.map((name) =>
          this.valueIn(this.from, at, this.tableOf(r.from.table), name),
        );
        const theirs = this.valuesOf(r.to.table, r.to.columns);
        const keys = theirs.types.map((_, k) => `v${k}`).join(', ');
        const several = this.fresh('s');
        const on = own.map((v, k) => this.equal(v, { sql: `${several}.v${k}`, type: theirs.types[k]! }));
        this.join(
          `left join (select ${keys} from (${theirs.sql}) v group by ${keys} having count(*) > 1) ${several} on ${on.join(' and ')}`,
        );
        found.set(r.name, `${several}.v0 is not null`);
      });
    }
    return [...found.values()];
  }

  join(sql: string): void {
    this.from.join(sql);
  }

  /** Adds a relation that may read itself, under `name (columns)`. */
  addRecursive(head: string, sql: string): void {
    this.needsRecursion();
    this.add(`${head} as (\n  ${sql}\n)`);
  }

  /** A SELECT on the rows so far; `tail` is what stands after FROM and its joins. */
  rows(values: readonly NamedValue[], tail = ''): string {
    const listed = values.map((v) => `${v.sql} as ${quoted(v.name)}`).join(', ');
    return `select ${listed} from ${this.from.sql}${tail && `\n${tail}`}`;
  }

  /** The statement of a SELECT. */
  compiled(select: string, columns: readonly { name: string; type: DataType }[]): CompiledRows {
    return {
      sql: this.statement(select),
      parameters: this.parameters,
      columns: columns.map(({ name, type }) => ({ name, type })),
      tables: this.tables,
    };
  }
}

/** A column of a statement that counts. */
export const counting = (name: string, sql: string): NamedValue => ({ name, sql, type: INTEGER });

/** How many rows are so. */
export const countWhere = (condition: string): string => `count(case when ${condition} then 1 end)`;
