import { parseType, TEXT } from '../values/index.ts';
import type { DataType } from '../values/index.ts';
import type { Model, Relationship, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { FormulaChecker, Typed, TypedAggregate } from '../formula/index.ts';
import type { Path, Route, Via } from '../relate/index.ts';
import { firstReference, FOUND, NO_REFERENCE, UNMATCHED } from '../query/index.ts';
import type { SqlDialect } from './dialect.ts';
import { quoted } from './dialect.ts';
import { scalarSql } from './scalar.ts';
import type { ScalarSetting } from './scalar.ts';

/** What the parts of one statement share. */
export interface Statement extends ScalarSetting {
  readonly model: Model;
  readonly checker: FormulaChecker;
  readonly dialect: SqlDialect;
  /** Whether no two rows have the same values in the columns. */
  isUnique(table: Table, columns: readonly string[]): boolean;
  /** A table's rows as they stand after FROM; a role has those of its dimension. */
  rowsOf(table: string): string;
  /** Notes that a table is read. */
  uses(table: string): void;
  /** Notes that a stored column is read. */
  reads(table: Table, column: string): void;
  /** Notes that rows are looked up along a relationship. */
  looksUp(relationship: Relationship): void;
  /** A new name for an alias or a common table expression. */
  fresh(prefix: string): string;
  /** Adds a common table expression that is written out, name and all. */
  add(cte: string): void;
  /** Says that one of them refers to itself. */
  needsRecursion(): void;
  /** Adds a common table expression and gives its name. */
  cte(prefix: string, sql: string): string;
  /**
   * Grouped values of an aggregate of a row formula, by the columns through which its rows refer to their
   * owner.
   */
  referring(node: TypedAggregate, path: Path): { name: string; keys: readonly string[] };
}

/**
 * The rows of a base table with all that is looked up from them: a FROM clause that grows as columns are
 * asked for. Every way is joined once. Rows are never multiplied but by `meet`, which brings in rows of a
 * bridge or of a many-to-many relationship.
 */
export class From {
  private readonly joins: string[] = [];
  private readonly aliases = new Map<string, string>();

  /** `rows` is what stands after FROM: the table itself, or a relation of row numbers joined with it. */
  constructor(
    private readonly statement: Statement,
    private readonly base: string,
    private readonly root: string,
    private readonly rows: string,
    private readonly via: Via,
  ) {
    statement.uses(base);
  }

  get sql(): string {
    return [this.rows, ...this.joins].join('\n    ');
  }

  join(sql: string): void {
    this.joins.push(sql);
  }

  /** The alias under which rows of a table stand that reaches the base. */
  table(name: string): string {
    const { checker } = this.statement;
    const route = checker.reach.route(this.base, name, this.via);
    if (!route || route.kind === 'ambiguous') throw new TypeError(`${name} does not reach ${this.base}`);
    if (route.kind === 'lookup') return this.follow(this.root, route.path);
    return this.follow(this.meet(route), route.path);
  }

  /** How the base's rows meet a table that reaches them: FOUND, NO_REFERENCE or UNMATCHED. */
  meeting(name: string): string {
    const { checker, dialect } = this.statement;
    const alias = this.table(name);
    if (alias === this.root) return String(FOUND);
    const found = `${dialect.rowId(alias)} is not null`;
    const route = checker.reach.route(this.base, name, this.via);
    const first = route && route.kind !== 'ambiguous' ? firstReference(route) : undefined;
    if (!first) return `case when ${found} then ${FOUND} else ${UNMATCHED} end`;
    const on = first.on === 'met' ? this.meet(route as Through) : this.root;
    const table = this.tableOf(first.hop.from.table);
    const nulls = first.hop.from.columns.map((c) => `${this.column(on, table, c)} is null`).join(' or ');
    const isThere = first.on === 'met' ? `${dialect.rowId(on)} is not null and ` : '';
    return `case when ${found} then ${FOUND} when ${isThere}(${nulls}) then ${NO_REFERENCE} else ${UNMATCHED} end`;
  }

  /** What a table's route comes through, if anything. */
  through(name: string): Through | undefined {
    const route = this.statement.checker.reach.route(this.base, name, this.via);
    return route && (route.kind === 'bridge' || route.kind === 'many-to-many') ? route : undefined;
  }

  /**
   * The rows of a bridge, or of the `to` end of a many-to-many relationship, that a row meets; each way is
   * met once.
   */
  meet(route: Through): string {
    const key = throughKey(route);
    const known = this.aliases.get(key);
    if (known) return known;
    const [near, far] =
      route.kind === 'bridge' ? [route.entry.to, route.entry.from] : [route.entry.from, route.entry.to];
    const anchor = this.follow(this.root, route.anchor);
    const alias = this.statement.fresh('m');
    this.aliases.set(key, alias);
    this.statement.uses(far.table);
    const on = near.columns
      .map((name, i) => this.equal(anchor, near.table, name, alias, far.table, far.columns[i]!))
      .join(' and ');
    this.join(`left join ${this.statement.rowsOf(far.table)} ${alias} on ${on}`);
    return alias;
  }

  /** Says under which alias the rows stand that were met already. */
  setMet(route: Through, alias: string): void {
    this.aliases.set(throughKey(route), alias);
  }

  get met(): readonly [key: string, alias: string][] {
    return [...this.aliases].filter(([key]) => key.startsWith('through\n'));
  }

  follow(alias: string, path: Path): string {
    return path.reduce((at, relationship) => this.step(at, relationship), alias);
  }

  private step(from: string, relationship: Relationship): string {
    const { statement } = this;
    statement.looksUp(relationship);
    const key = `${from}\n${relationship.name}`;
    const known = this.aliases.get(key);
    if (known) return known;
    const target = this.tableOf(relationship.to.table);
    statement.uses(target.name);
    const alias = statement.fresh('t');
    this.aliases.set(key, alias);
    const columns = relationship.to.columns;
    if (statement.isUnique(target, columns)) {
      const on = columns.map((name, i) =>
        this.equal(from, relationship.from.table, relationship.from.columns[i]!, alias, target.name, name),
      );
      this.join(`left join ${statement.rowsOf(target.name)} ${alias} on ${on.join(' and ')}`);
      return alias;
    }
    // Of several rows with the same values the first is the partner.
    const first = statement.fresh('f');
    const { sql: firsts, keys } = this.firstRows(target, columns);
    const on = columns.map((name, i) =>
      this.equalTo(
        from,
        relationship.from.table,
        relationship.from.columns[i]!,
        `${first}.${keys[i]}`,
        this.typeOf(target, name),
      ),
    );
    this.join(`left join (${firsts}) ${first} on ${on.join(' and ')}`);
    this.join(
      `left join ${statement.rowsOf(target.name)} ${alias} on ${statement.dialect.rowId(alias)} = ${first}.first_row`,
    );
    return alias;
  }

  /** The first row of each combination of values: the values, and its number as `first_row`. */
  private firstRows(table: Table, columns: readonly string[]): { sql: string; keys: string[] } {
    const inner = this.statement.fresh('i');
    const own = new From(
      this.statement,
      table.name,
      inner,
      `${this.statement.rowsOf(table.name)} ${inner}`,
      [],
    );
    const parts = columns.map((name) => own.column(inner, table, name));
    const keys = parts.map((_, i) => `k${i}`);
    const id = this.statement.dialect.rowId(inner);
    const numbered = `select ${parts.map((part, i) => `${part} as ${keys[i]}, `).join('')}${id} as first_row, row_number() over (partition by ${parts.join(', ')} order by ${id}) as place from ${own.sql}`;
    return { sql: `select * from (${numbered}) n where place = 1`, keys };
  }

  /** Whether the row under an alias is the first with its values in the columns. */
  private isFirst(alias: string, table: Table, columns: readonly string[]): string {
    const first = this.statement.fresh('f');
    this.join(
      `left join (${this.firstRows(table, columns).sql}) ${first} on ${first}.first_row = ${this.statement.dialect.rowId(alias)}`,
    );
    return `${first}.first_row is not null`;
  }

  private equal(
    a: string,
    tableA: string,
    columnA: string,
    b: string,
    tableB: string,
    columnB: string,
  ): string {
    const [ta, tb] = [this.tableOf(tableA), this.tableOf(tableB)];
    return this.equalTo(a, tableA, columnA, this.column(b, tb, columnB), this.typeOf(tb, columnB), ta);
  }

  private equalTo(
    alias: string,
    tableName: string,
    columnName: string,
    other: string,
    otherType: DataType,
    table = this.tableOf(tableName),
  ): string {
    const { dialect } = this.statement;
    const type = this.typeOf(table, columnName);
    const sql = this.column(alias, table, columnName);
    if (type.kind === otherType.kind && JSON.stringify(type) === JSON.stringify(otherType))
      return `${sql} = ${other}`;
    return `${dialect.double(sql, type)} = ${dialect.double(other, otherType)}`;
  }

  /**
   * A column of the rows under an alias, in canonical form. Derived columns are worked out in place; no row
   * gives null.
   */
  column(alias: string, named: Table, name: string): string {
    const { dialect, checker } = this.statement;
    // A role's columns are derived as those of its dimension.
    const table = checker.names.stored(named.name)!;
    const column = checker.names.column(table, name);
    if (!column) throw new TypeError(`${table.name} has no column ${name}`);
    const type = parseType(column.type) ?? TEXT;
    if (column.formula === undefined) {
      this.statement.reads(table, column.name);
      return dialect.read(`${alias}.${quoted(column.name)}`, type);
    }
    const typed = checker.column(table, column.name, column.formula, type).typed;
    if (!typed) throw new TypeError(`${table.name}.${column.name} is broken`);
    const sql = scalarSql(typed, this.statement, (leaf) => this.rowLeaf(alias, table, leaf));
    return alias === this.root ? `(${sql})` : `case when ${dialect.rowId(alias)} is not null then ${sql} end`;
  }

  /** A row formula of the rows under an alias. */
  private rowLeaf(alias: string, table: Table, leaf: Typed): string {
    const { checker } = this.statement;
    if (leaf.kind === 'column')
      return this.column(
        this.follow(alias, this.lookup(table.name, leaf.table)),
        this.tableOf(leaf.table),
        leaf.column,
      );
    if (leaf.kind !== 'aggregate' || leaf.owner === undefined)
      throw new TypeError(`${leaf.kind} has no place in a row formula`);
    const owner = this.tableOf(leaf.owner);
    const own = this.follow(alias, this.lookup(table.name, owner.name));
    const path = checker.reach.lookup(leaf.base, owner.name, [])!;
    const key = `${own}\naggregate ${leaf.span.start} ${leaf.span.end} of ${table.name}`;
    const { name, keys } = this.statement.referring(leaf, path);
    const last = path.at(-1);
    let joined = this.aliases.get(key + name);
    if (!joined) {
      joined = this.statement.fresh('r');
      this.aliases.set(key + name, joined);
      const on = last
        ? last.to.columns.map((column, i) => `${joined}.${keys[i]!} = ${this.column(own, owner, column)}`)
        : [`${joined}.${keys[0]!} = ${this.statement.dialect.rowId(own)}`];
      this.join(`left join ${name} ${joined} on ${on.join(' and ')}`);
    }
    // Of several rows with one key the first is the one that is referred to; the others have no rows of their
    // own.
    const isFirst =
      last && !this.statement.isUnique(owner, last.to.columns)
        ? this.isFirst(own, owner, last.to.columns)
        : undefined;
    const value = isFirst === undefined ? `${joined}.v` : `case when ${isFirst} then ${joined}.v end`;
    return leaf.aggregate === 'count' ? `coalesce(${value}, 0)` : value;
  }

  private lookup(from: string, to: string): Path {
    if (sameName(from, to)) return [];
    const path = this.statement.checker.reach.lookup(from, to, []);
    if (!path) throw new TypeError(`${to} is not looked up from ${from}`);
    return path;
  }

  /** A formula or condition over columns of tables that reach the base. */
  formula(typed: Typed): string {
    return scalarSql(typed, this.statement, (leaf) => {
      if (leaf.kind === 'column')
        return this.column(this.table(leaf.table), this.tableOf(leaf.table), leaf.column);
      if (leaf.kind === 'aggregate' && leaf.owner !== undefined)
        return this.rowLeaf(this.table(leaf.owner), this.tableOf(leaf.owner), leaf);
      throw new TypeError(`${leaf.kind} has no place in a condition on rows`);
    });
  }

  private tableOf(name: string): Table {
    return this.statement.checker.names.table(name)!;
  }

  private typeOf(table: Table, name: string): DataType {
    return parseType(this.statement.checker.names.column(table, name)!.type) ?? TEXT;
  }
}

export type Through = Extract<Route, { kind: 'bridge' | 'many-to-many' }>;

export const throughKey = (route: Through): string =>
  `through\n${route.kind}\n${route.entry.name}\n${route.anchor.map((r) => r.name).join('\n')}`;

/** Whether columns are the declared key of a table. */
export const isKey = (table: Table, columns: readonly string[]): boolean =>
  (table.key ?? []).length === columns.length &&
  columns.every((name) => table.key!.some((key) => sameName(key, name)));
