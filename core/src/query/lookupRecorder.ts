import { parseType, TEXT } from '../values/index.ts';
import type { FormulaChecker } from '../formula/index.ts';
import { aggregatesOf, columnsOf } from '../formula/index.ts';
import type { Relationship, Table } from '../model/index.ts';
import type { Path } from '../relate/index.ts';

/** Notes along which relationships rows are looked up, while somebody wants to know. */
export class LookupRecorder {
  private followed: Set<Relationship> | undefined;

  constructor(private readonly checker: FormulaChecker) {}

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

  follow(path: Path): void {
    if (this.followed) for (const r of path) this.followed.add(r);
  }

  /** What a derived column looks up, whether it was worked out now or is known from before. */
  followFormula(table: Table, name: string, formula: string, seen: Set<string> = new Set()): void {
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
}
