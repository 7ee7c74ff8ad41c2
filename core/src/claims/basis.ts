import type { ColumnName, FormulaChecker } from '../formula/index.ts';
import { columnsOf, walkTyped } from '../formula/index.ts';
import type { Model, Relationship, Table } from '../model/index.ts';
import { cardinalityOf, isDefault, sameName, calendarOf, isDerived, stepsOf } from '../model/index.ts';
import { correctedColumn, correctionsTable } from '../corrections/index.ts';
import { tablesRead } from '../shape/index.ts';
import { parseType, TEXT } from '../values/index.ts';
import type { Claim } from './claim.ts';

/**
 * What each judgement rests on, as a text that changes when and only when something changes that the
 * judgement could depend on: the versions of the rows that it reads, the columns of them, what derived
 * columns and derived tables are made of, and the parts of the model that the claim names itself. It is the
 * index by which a change makes some claims unchecked and leaves the others their verdict.
 */
export class DependencyDigest {
  private readonly tables = new Map<string, string>();
  private readonly columns = new Map<string, string>();
  private readonly open = new Set<string>();
  private readonly relationships: string;

  /**
   * `versionOf` names the version of a table's stored rows; `digest` shortens a text, such that different
   * texts give different ones.
   */
  constructor(
    private readonly model: Model,
    private readonly checker: FormulaChecker,
    private readonly versionOf: (table: Table) => string,
    private readonly digest: (text: string) => string,
    /** As of which claims are judged whose verdict changes with it. */
    private readonly day = '',
  ) {
    this.relationships = digest(JSON.stringify((model.relationships ?? []).map(wayOf)));
  }

  of(claim: Claim): string {
    const rows = claim.tables.map((name) => this.table(name));
    const columns = claim.columns.map(({ table, column }) => this.column(table, column));
    return this.digest(
      JSON.stringify([claim.id, claim.says, claim.parts, rows, columns, claim.byDay ? this.day : '']),
    );
  }

  /** The rows of a table, whatever of their columns is read. */
  table(name: string): string {
    const key = name.toLowerCase();
    let known = this.tables.get(key);
    if (known === undefined) {
      if (this.open.has(key)) return 'itself';
      this.open.add(key);
      known = this.rowsOf(name);
      this.open.delete(key);
      this.tables.set(key, known);
    }
    return known;
  }

  private rowsOf(name: string): string {
    const table = this.checker.names.table(name);
    if (!table) return `no ${name.toLowerCase()}`;
    const read = this.readRowsOf(table);
    const lists = this.correctionsOf(table);
    return lists.length === 0 ? read : this.digest(JSON.stringify([read, lists]));
  }

  /** What is written over the rows of a table, and the day as of which that holds. */
  private correctionsOf(table: Table): string[] {
    return (this.model.corrections ?? []).flatMap((corrections) => {
      const of = correctedColumn(this.model, corrections.of);
      if ('refusal' in of || of.table !== table) return [];
      const list = correctionsTable(of, corrections);
      const { asOf } = this.model;
      return [
        JSON.stringify([of.column.name, table.key, list.columns, this.versionOf(list), asOf ?? this.day]),
      ];
    });
  }

  private readRowsOf(table: Table): string {
    const { source } = table;
    if (!isDerived(table)) {
      // The columns of a generated calendar follow the fiscal year.
      const fiscal = calendarOf(table)
        ? this.model.calendars?.find((c) => sameName(c.table, table.name))?.fiscalYear
        : undefined;
      return this.digest(JSON.stringify([table.name, source, this.versionOf(table), fiscal]));
    }
    // What a step may name of the tables that it reads is not told apart: all their columns.
    const read = tablesRead(stepsOf(table)).flatMap((other) => [
      this.table(other),
      ...(this.checker.names.table(other)?.columns ?? [])
        .filter((c) => c.formula === undefined)
        .map((c) => this.column(other, c.name)),
    ]);
    const declared = table.columns
      .filter((c) => c.formula === undefined)
      .map((c) => [c.name, c.sourceName, c.type]);
    return this.digest(JSON.stringify([table.name, source, declared, read]));
  }

  /** The values of a column. */
  column(tableName: string, columnName: string): string {
    const key = `${tableName}\n${columnName}`.toLowerCase();
    let known = this.columns.get(key);
    if (known === undefined) {
      if (this.open.has(key)) return 'itself';
      this.open.add(key);
      known = this.valuesOf(tableName, columnName);
      this.open.delete(key);
      this.columns.set(key, known);
    }
    return known;
  }

  private valuesOf(tableName: string, columnName: string): string {
    const table = this.checker.names.table(tableName);
    const column = table && this.checker.names.column(table, columnName);
    if (!table || !column) return `no ${tableName}.${columnName}`.toLowerCase();
    if (column.formula === undefined) {
      const { name, sourceName, type, pattern, length } = column;
      return this.digest(JSON.stringify([this.table(table.name), name, sourceName, type, pattern, length]));
    }
    const { typed } = this.checker.column(table, column.name, column.formula, parseType(column.type) ?? TEXT);
    // A formula in error rests on all that it might come to mean.
    if (!typed)
      return this.digest(JSON.stringify([table.name, column, this.model.tables, this.relationships]));
    const named = columnsOf(typed);
    let looksBack = false;
    const bases = new Set([table.name]);
    walkTyped(typed, (node) => {
      if (node.kind !== 'aggregate') return;
      looksBack = true;
      bases.add(node.base);
    });
    // An aggregate comes by ways that lead to the table, not only from it: it rests on all relationships.
    const ways = looksBack ? [this.relationships] : named.flatMap((c) => this.way(table.name, c.table));
    const rests = [
      ...[...bases].map((base) => this.table(base)),
      ...named.map((c) => this.column(c.table, c.column)),
    ];
    const ends = looksBack ? (this.model.relationships ?? []).flatMap((r) => this.ends(r)) : [];
    return this.digest(JSON.stringify([column.formula, column.type, ways, rests, ends]));
  }

  /** The way by which a table looks another up, with the rows at its ends. */
  way(from: string, to: string): string[] {
    if (sameName(from, to)) return [];
    const path = this.checker.reach.lookup(from, to);
    return path ? path.flatMap((r) => [wayOf(r), ...this.ends(r)]) : [this.relationships];
  }

  private ends(r: Relationship): string[] {
    return [r.from, r.to].flatMap((end) => end.columns.map((name) => this.column(end.table, name)));
  }
}

const wayOf = (r: Relationship): string =>
  JSON.stringify([r.name, r.from, r.to, cardinalityOf(r), isDefault(r)]);

/** The columns of one end of a relationship, as claims name what they read. */
export const endColumns = (end: {
  readonly table: string;
  readonly columns: readonly string[];
}): ColumnName[] => end.columns.map((column) => ({ table: end.table, column }));
