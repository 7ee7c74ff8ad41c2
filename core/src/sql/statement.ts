import type { DataType, Value } from '../values/index.ts';
import { formatType } from '../values/index.ts';
import type { Model, Relationship, Table } from '../model/index.ts';
import type { FormulaChecker, TypedAggregate } from '../formula/index.ts';
import type { Path } from '../relate/index.ts';
import type { SqlSetting } from './compiled.ts';
import type { SqlDialect } from './dialect.ts';
import { quoted } from './dialect.ts';
import type { Statement } from './from.ts';
import { isKey } from './from.ts';

/** One statement while it is written: its parameters, its common table expressions, the tables it reads. */
export abstract class StatementText implements Statement {
  readonly model: Model;
  readonly checker: FormulaChecker;
  protected readonly parameters: { value: Value; type: DataType }[] = [];
  private readonly ctes: (string | (() => string))[] = [];
  /** Where common table expressions go that others rest on which stand already; by default behind all. */
  private insertAt: number | undefined;
  private made = 0;
  protected readonly tables = new Set<string>();
  private readonly relations = new Map<string, string>();
  private recursive = false;

  constructor(
    protected readonly setting: SqlSetting,
    readonly dialect: SqlDialect,
  ) {
    this.model = setting.model;
    this.checker = setting.checker;
  }

  abstract referring(node: TypedAggregate, path: Path): { name: string; keys: readonly string[] };

  value(value: Value, type: DataType): string {
    const known = this.parameters.findIndex(
      (p) => p.value === value && formatType(p.type) === formatType(type),
    );
    if (known < 0) this.parameters.push({ value, type });
    return this.dialect.parameter(known < 0 ? this.parameters.length : known + 1, type);
  }

  isUnique(table: Table, columns: readonly string[]): boolean {
    const stored = this.checker.names.stored(table.name)!;
    return this.setting.isUnique ? this.setting.isUnique(stored, columns) : isKey(stored, columns);
  }

  uses(table: string): void {
    this.tables.add(this.checker.names.stored(table)!.name.toLowerCase());
  }

  rowsOf(table: string): string {
    const stored = this.checker.names.stored(table)!;
    if (!this.setting.rowsOf) return quoted(stored.name);
    const known = this.relations.get(stored.name) ?? this.setting.rowsOf(stored, this);
    this.relations.set(stored.name, known);
    return known;
  }

  reads(table: Table, column: string): void {
    this.setting.onColumn?.(table, column);
  }

  looksUp(relationship: Relationship): void {
    this.setting.onLookup?.(relationship);
  }

  fresh(prefix: string): string {
    return `${prefix}${++this.made}`;
  }

  needsRecursion(): void {
    this.recursive = true;
  }

  add(cte: string): void {
    this.place(cte);
  }

  private place(cte: string | (() => string)): void {
    if (this.insertAt === undefined) this.ctes.push(cte);
    else this.ctes.splice(this.insertAt++, 0, cte);
  }

  /**
   * Adds a common table expression whose text is not known yet: it is asked for when the statement is whole.
   * `before` does something whose own expressions are to stand before it.
   */
  protected lateCte(prefix: string, text: () => string) {
    const name = this.fresh(prefix);
    const made = () => `${name} as (\n  ${text()}\n)`;
    this.place(made);
    const before = <T>(act: () => T): T => {
      const outer = this.insertAt;
      const [at, count] = [this.ctes.indexOf(made), this.ctes.length];
      this.insertAt = at;
      try {
        return act();
      } finally {
        const added = this.ctes.length - count;
        this.insertAt = outer === undefined || outer < at ? outer : outer + added;
      }
    };
    return { name, before };
  }

  cte(prefix: string, sql: string): string {
    const name = this.fresh(prefix);
    this.place(`${name} as (\n  ${sql}\n)`);
    return name;
  }

  /** A relation that is worked out once: several parts of the statement read it. */
  keptCte(prefix: string, sql: string): string {
    const name = this.fresh(prefix);
    this.place(`${name} ${this.dialect.materialized} (\n  ${sql}\n)`);
    return name;
  }

  protected statement(select: string): string {
    const ctes = this.ctes.map((cte) => (typeof cte === 'string' ? cte : cte()));
    return ctes.length === 0
      ? select
      : `with ${this.recursive ? 'recursive ' : ''}${ctes.join(',\n')}\n${select}`;
  }
}
