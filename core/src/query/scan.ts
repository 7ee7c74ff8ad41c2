import type { Value } from '../values/index.ts';
import { columnValues } from '../columns/index.ts';
import type { ColumnName, TypedAggregate } from '../formula/index.ts';
import { columnPath, levelProblem, tablesOf } from '../formula/index.ts';
import type { Axis, Condition, ConditionShape, Context, ContextShape, Step } from './context.ts';
import type { Through } from './compiled/bridgeMasks.ts';
import { endsOf, throughKey } from './compiled/bridgeMasks.ts';
import { PlannedScan } from './compiled/plannedScan.ts';
import { dayMask, rowMask } from './masks.ts';
import type { ModelData } from './modelData.ts';
import { firstReference, FOUND, NO_REFERENCE, UNMATCHED } from './noMember.ts';
import { compileRow } from './rowFormula.ts';
import { scanClock, tellScan } from './scanStages.ts';
import { Tuples } from './tuples.ts';

/** Rows of a base table that a context leaves, grouped by the members of its axes. */
export interface Scan {
  /** Base row of each entry; undefined where entry and row are the same. */
  readonly rows: Uint32Array | undefined;
  /** Group of each entry, or -1 where the context leaves it out. A row stands at most once in a group. */
  readonly groups: Int32Array;
  readonly tuples: Tuples;
  /**
   * Of a planned scan: the number of each group, which is the sum of the codes of the axes times the product
   * of the widths of the axes before.
   */
  readonly groupNumbers?: Float64Array;
  /** Base rows of one group, ascending, where they are found faster than by the groups of all rows. */
  rowsOf?(place: number): number[] | undefined;
  /** Works out aggregates in one pass, where the scan is planned. */
  prepare?(nodes: readonly TypedAggregate[]): void;
  /**
   * Values of an aggregate by group, and one more for no rows; undefined where it is to be worked out from
   * the groups.
   */
  aggregate?(node: TypedAggregate): Value[] | undefined;
}

/** Reach is a matter of the model: all that it takes is the checker. */
export type Checked = Pick<ModelData, 'checker'>;

/** Columns of a context whose conditions do not reach rows of the base table. */
export function unreachedColumns(data: Checked, context: ContextShape, base: string): ColumnName[] {
  const found = new Map<string, ColumnName>();
  const note = (column: ColumnName) => found.set(`${column.table}.${column.column}`.toLowerCase(), column);
  for (const axis of context.axes) {
    const column = { table: axis.table, column: axis.column ?? axis.name };
    if (
      !columnReaches(
        data,
        base,
        axis.column === undefined ? { table: axis.table, column: '' } : column,
        context.via,
      )
    )
      note(column);
  }
  for (const step of context.steps) {
    if (step.kind === 'condition')
      for (const column of unreachedOf(data, step.condition, base, context.via)) note(column);
  }
  return [...found.values()];
}

export function unreachedOf(
  data: Checked,
  condition: ConditionShape,
  base: string,
  via: readonly string[],
): readonly ColumnName[] {
  if (condition.calendar !== undefined)
    return data.checker.reach.lookup(base, condition.calendar, via)
      ? []
      : [condition.label ?? condition.columns[0]!];
  return condition.columns.filter((column) => !columnReaches(data, base, column, via));
}

export function columnReaches(
  data: Checked,
  base: string,
  column: ColumnName,
  via: readonly string[],
): boolean {
  const route = data.checker.reach.route(base, column.table, via);
  return (
    route !== undefined &&
    route.kind !== 'ambiguous' &&
    (column.column === '' || !levelProblem(data.checker, base, column, via))
  );
}

const scans = new WeakMap<Context, Map<string, Scan>>();

/**
 * Scans a base table in a context. All that does not reach must be the context's to leave out (`repeat`).
 * Kept per context.
 */
export function scan(data: ModelData, context: Context, base: string): Scan {
  let byBase = scans.get(context);
  if (!byBase) scans.set(context, (byBase = new Map()));
  let made = byBase.get(base.toLowerCase());
  if (!made) byBase.set(base.toLowerCase(), (made = new Scanning(data, context, base).run()));
  return made;
}

class Scanning {
  /** Base row of each entry; undefined while entries are rows. */
  private rows: Uint32Array | undefined;
  private alive = new Uint8Array(0);
  /** Met row + 1 of each entry, by key of what is come through. */
  private readonly met = new Map<string, Uint32Array>();
  private readonly axes: readonly Axis[];
  private readonly steps: readonly Step[];

  constructor(
    private readonly data: ModelData,
    private readonly context: Context,
    private readonly base: string,
  ) {
    const reaches = (column: ColumnName) => columnReaches(data, base, column, context.via);
    this.axes = context.repeat
      ? context.axes.filter((axis) => reaches({ table: axis.table, column: axis.column ?? '' }))
      : context.axes;
    this.steps = context.repeat
      ? context.steps.filter(
          (step) => step.kind === 'at' || unreachedOf(data, step.condition, base, context.via).length === 0,
        )
      : context.steps;
  }

  run(): Scan {
    const planned = this.planned();
    if (planned) return planned;
    const start = scanClock();
    this.alive = new Uint8Array(this.data.rowCount(this.base)).fill(1);
    this.expand();
    for (const step of this.steps) {
      if (step.kind === 'condition') this.restrict(step.condition);
      else this.keepEnds(step);
    }
    const { groups, tuples } = this.group();
    tellScan(() => ({
      table: this.base,
      rows: this.data.rowCount(this.base),
      left: groups.reduce((sum, group) => sum + (group < 0 ? 0 : 1), 0),
      groups: tuples.size,
      by: this.axes.map(({ table, column, name }) => columnPath(table, column ?? name)),
      where: this.steps.flatMap((step) =>
        (step.kind === 'at' ? [step.column] : step.condition.columns).map((c) =>
          columnPath(c.table, c.column),
        ),
      ),
      fields: 0,
      executor: 'laid out',
      because: this.whyUnplanned(),
      prepareMs: 0,
      scanMs: scanClock() - start,
    }));
    return { rows: this.rows, groups: this.rows ? this.onceEach(groups, tuples.size) : groups, tuples };
  }

  /** The usual case, where rows are not chosen by what others hold (`at`) and all is looked up. */
  private planned(): PlannedScan | undefined {
    const conditions = this.steps.flatMap((step) => (step.kind === 'condition' ? [step.condition] : []));
    if (conditions.length < this.steps.length) return undefined;
    return PlannedScan.of(this.data, this.base, conditions, this.axes, this.context.via);
  }

  /** What of the context no plan can do. */
  private whyUnplanned(): string {
    const at = this.steps.find((step) => step.kind === 'at');
    if (at) return `at ${at.which}: rows are chosen by what other rows hold`;
    const { reach } = this.data.checker;
    const met = this.axes.find(
      ({ table }) => reach.route(this.base, table, this.context.via)?.kind !== 'lookup',
    );
    if (met) return `a row is in several groups of ${met.table}`;
    if (this.steps.some((step) => step.kind === 'condition' && step.condition.kind === 'members'))
      return 'rows without a member are told apart';
    return 'a condition speaks of several tables, one of them beyond a bridge';
  }

  /**
   * Makes an entry for each combination of a base row with the rows that it meets through bridges and
   * many-to-many relationships.
   */
  private expand(): void {
    const throughs = new Map<string, Through>();
    const note = (table: string) => {
      const route = this.data.checker.reach.route(this.base, table, this.context.via);
      if (route && (route.kind === 'bridge' || route.kind === 'many-to-many'))
        throughs.set(throughKey(route), route);
    };
    for (const axis of this.axes) note(axis.table);
    for (const step of this.steps)
      if (step.kind === 'condition') for (const column of step.condition.columns) note(column.table);
    for (const [key, through] of throughs) this.meet(key, through);
  }

  private meet(key: string, route: Through): void {
    const [near, entering] = endsOf(route);
    const lists = this.data.entryLists(entering, near);
    const anchors = this.data.pathIndex(route.anchor);
    const count = this.alive.length;
    const keyOf = (e: number): number => {
      const row = this.rows ? this.rows[e]! : e;
      const reference = anchors ? anchors[row]! : row + 1;
      return reference === 0 ? 0 : lists.keyOf[reference - 1]!;
    };
    const partners = (k: number) => (k === 0 ? 0 : lists.starts[k + 1]! - lists.starts[k]!);
    let total = 0;
    for (let e = 0; e < count; e++) total += Math.max(1, partners(keyOf(e)));
    const [rows, met] = [new Uint32Array(total), new Uint32Array(total)];
    const source = new Uint32Array(total);
    let at = 0;
    for (let e = 0; e < count; e++) {
      const k = keyOf(e);
      const partnerCount = partners(k);
      for (let i = 0; i < Math.max(1, partnerCount); i++, at++) {
        source[at] = e;
        rows[at] = this.rows ? this.rows[e]! : e;
        met[at] = partnerCount === 0 ? 0 : lists.rows[lists.starts[k]! + i]! + 1;
      }
    }
    for (const [other, references] of this.met)
      this.met.set(
        other,
        source.map((e) => references[e]!),
      );
    this.met.set(key, met);
    this.rows = rows;
    this.alive = new Uint8Array(total).fill(1);
  }

  /**
   * For each entry the row + 1 of a table that reaches the base, or undefined where that is the entry itself.
   */
  private references(table: string): Uint32Array | undefined {
    const route = this.data.checker.reach.route(this.base, table, this.context.via);
    if (!route || route.kind === 'ambiguous') throw new TypeError(`${table} does not reach ${this.base}`);
    const index = this.data.pathIndex(route.path);
    if (route.kind === 'lookup') {
      if (!this.rows) return index;
      return index ? this.rows.map((row) => index[row]!) : this.rows.map((row) => row + 1);
    }
    const met = this.met.get(throughKey(route))!;
    return index ? met.map((reference) => (reference === 0 ? 0 : index[reference - 1]!)) : met;
  }

  private restrict(condition: Condition): void {
    if (condition.kind === 'days') return this.restrictDays(condition);
    if (condition.kind === 'members') return this.restrictMembers(condition);
    const tables = tablesOf(condition.typed);
    const mask = tables.length === 1 ? rowMask(this.data, tables[0]!, condition.typed) : undefined;
    if (mask) {
      const references = this.references(tables[0]!);
      for (let e = 0; e < this.alive.length; e++)
        this.alive[e]! &= mask[references ? references[e]! : e + 1]!;
      return;
    }
    const passes = compileRow(this.data, condition.typed, (table) => this.references(table));
    for (let e = 0; e < this.alive.length; e++) if (this.alive[e] && passes(e) !== true) this.alive[e] = 0;
  }

  private restrictMembers({ columns, typed, meets }: Extract<Condition, { kind: 'members' }>): void {
    const table = columns[0]!.table;
    const mask = rowMask(this.data, table, typed);
    const references = this.references(table);
    const meetsAs = this.meetings(table);
    for (let e = 0; e < this.alive.length; e++) {
      const how = meetsAs(e);
      this.alive[e]! &=
        how === FOUND ? mask[references ? references[e]! : e + 1]! : meets.includes(how) ? 1 : 0;
    }
  }

  /** How entries meet a table that reaches the base. */
  private meetings(table: string): (entry: number) => number {
    const route = this.data.checker.reach.route(this.base, table, this.context.via);
    if (!route || route.kind === 'ambiguous') throw new TypeError(`${table} does not reach ${this.base}`);
    const references = this.references(table);
    if (!references || (route.kind === 'lookup' && route.path.length === 0)) return () => FOUND;
    const first = firstReference(route);
    const codes =
      first?.hop.from.columns.map((name) => this.data.column(first.hop.from.table, name).codes) ?? [];
    const met = route.kind === 'lookup' ? undefined : this.met.get(throughKey(route))!;
    const rowOf = (e: number) => (first?.on === 'met' ? met![e]! - 1 : this.rows ? this.rows[e]! : e);
    return (e) => {
      if (references[e] !== 0) return FOUND;
      const row = rowOf(e);
      return row >= 0 && codes.some((column) => column[row] === 0) ? NO_REFERENCE : UNMATCHED;
    };
  }

  private restrictDays(condition: Extract<Condition, { kind: 'days' }>): void {
    const references = this.references(condition.calendar);
    const keeps = dayMask(this.data, this.base, condition, this.context.via);
    for (let e = 0; e < this.alive.length; e++) this.alive[e]! &= keeps[references ? references[e]! : e + 1]!;
  }

  /**
   * `at first` and `at last`: of the entries of a group (and of a value of `per`), those with the least or
   * greatest value.
   */
  private keepEnds(step: Extract<Step, { kind: 'at' }>): void {
    const per: Axis[] = step.per.map((c) => columnAxis(this.data, c.table, c.column));
    const { groups, tuples } = this.group([...this.axes.filter((axis) => step.axes.includes(axis)), ...per]);
    const column = this.data.column(step.column.table, step.column.column);
    const references = this.references(step.column.table);
    const code = (e: number) =>
      references ? (references[e] === 0 ? 0 : column.codes[references[e]! - 1]!) : column.codes[e]!;
    const best = new Uint32Array(tuples.size);
    for (let e = 0; e < groups.length; e++) {
      if (groups[e]! < 0) continue;
      const c = code(e);
      const held = best[groups[e]!]!;
      if (c !== 0 && (held === 0 || (step.which === 'last' ? c > held : c < held))) best[groups[e]!] = c;
    }
    for (let e = 0; e < groups.length; e++)
      if (groups[e]! >= 0 && (best[groups[e]!] === 0 || code(e) !== best[groups[e]!])) this.alive[e] = 0;
  }

  private group(axes: readonly Axis[] = this.axes): { groups: Int32Array; tuples: Tuples } {
    const count = this.alive.length;
    const tuples = new Tuples(axes.map((axis) => axis.width));
    const groups = new Int32Array(count);
    const codeOf = axes.map((axis): ((e: number) => number) => {
      if (axis.meets) return this.meetings(axis.table);
      const references = this.references(axis.table);
      const { codes } = axis;
      return references ? (e) => (references[e] === 0 ? 0 : codes[references[e]! - 1]!) : (e) => codes[e]!;
    });
    let size = 1;
    for (let e = 0; e < count; e++) groups[e] = this.alive[e]! - 1; // 0 or -1
    for (const [i, codeAt] of codeOf.entries()) {
      const width = axes[i]!.width;
      if (size * width > MOST_DENSE) size = renumber(groups, size);
      const pairs = size * width > MOST_DENSE ? new Map<number, number>() : undefined;
      for (let e = 0; e < count; e++) {
        const group = groups[e]!;
        if (group < 0) continue;
        const combined = group * width + codeAt(e);
        if (!pairs) {
          groups[e] = combined;
          continue;
        }
        let number = pairs.get(combined);
        if (number === undefined) pairs.set(combined, (number = pairs.size));
        groups[e] = number;
      }
      size = pairs ? pairs.size : size * width;
    }
    const groupCount = renumber(groups, size);
    const first = new Int32Array(groupCount).fill(-1);
    for (let e = count - 1; e >= 0; e--) if (groups[e]! >= 0) first[groups[e]!] = e;
    for (let g = 0; g < groupCount; g++) {
      const e = first[g]!;
      tuples.add((p) => codeOf[p]!(e));
    }
    return { groups, tuples };
  }

  /**
   * Entries of one row in one group count once. Entries come row by row, so the last row seen in a group
   * tells.
   */
  private onceEach(groups: Int32Array, groupCount: number): Int32Array {
    const lastRow = new Int32Array(groupCount).fill(-1);
    for (let e = 0; e < groups.length; e++) {
      const group = groups[e]!;
      if (group < 0) continue;
      const row = this.rows![e]!;
      if (lastRow[group] === row) groups[e] = -1;
      else lastRow[group] = row;
    }
    return groups;
  }
}

/** The most combinations of members for which a number each is kept. */
const MOST_DENSE = 1 << 22;

/** Numbers the groups that occur from 0 on, in order of first appearance; returns how many there are. */
function renumber(groups: Int32Array, size: number): number {
  const numbers = new Int32Array(size).fill(-1);
  let next = 0;
  for (let e = 0; e < groups.length; e++) {
    const group = groups[e]!;
    if (group < 0) continue;
    if (numbers[group]! < 0) numbers[group] = next++;
    groups[e] = numbers[group]!;
  }
  return next;
}

/** A column as an axis. */
export function columnAxis(
  data: ModelData,
  table: string,
  columnName: string,
  name = `${table}.${columnName}`,
): Axis {
  const column = data.column(table, columnName);
  const values = columnValues(column);
  return {
    name,
    type: column.type,
    table,
    column: columnName,
    codes: column.codes,
    width: column.domain.size + 1,
    show: (code) => values[code]!,
  };
}
