import type { Exact, Value } from '../../values/index.ts';
import { scaleOf, toDouble } from '../../values/index.ts';
import type { TypedAggregate } from '../../formula/index.ts';
import { columnPath } from '../../formula/index.ts';
import type { Via } from '../../relate/index.ts';
import type { Axis, Condition } from '../context.ts';
import type { ModelRows } from '../modelRows.ts';
import { scanClock, tellScan } from '../scanStages.ts';
import { Tuples } from '../tuples.ts';
import { bridgeMasks } from './bridgeMasks.ts';
import { Inputs } from './inputs.ts';
import type { Field, Probe, ScanPlan, ScanResult } from './plan.ts';
import type { CodeCount } from './mediansByCount.ts';
import { mediansByCount } from './mediansByCount.ts';
import { codesByRow, filterOf, planAggregate } from './planFields.ts';
import { probesOf, stridesOf } from './planProbes.ts';
import { isHashed, runCompiled } from './runCompiled.ts';
import { runPlain } from './runPlain.ts';
import { rowsOfGroup, runHelped } from './scanParts.ts';

const WORTH_CODE = 20_000;

/** Up to so many groups and values have a place each. */
const MOST_COUNTED_PLACES = 1 << 20;

/** Numbers of groups are doubles. */
const MOST_SIZE = 2 ** 53;

type Ran = ScanResult & { readonly places?: Int32Array };

/**
 * Rows of a base table under conditions, grouped by axes, where each condition and axis is looked up or
 * stands on the row.
 */
export class PlannedScan {
  readonly rows = undefined;
  private readonly values = new Map<TypedAggregate, Value[] | undefined>();
  private ran: Ran | undefined;
  private made: Tuples | undefined;
  private places: Int32Array | undefined;

  private constructor(
    private readonly inputs: Inputs,
    private readonly probes: readonly Probe[],
    private readonly axes: readonly Axis[],
    private readonly size: number,
    /** For who hears of the scan: what its conditions are about, and how long it took to prepare. */
    private readonly about: { where: readonly string[]; prepareMs: number } = { where: [], prepareMs: 0 },
  ) {}

  /**
   * Undefined where an axis comes through a bridge, a condition speaks of rows without a member or of several
   * tables beyond a bridge, or members have too many combinations to be numbered.
   */
  static of(
    data: ModelRows,
    base: string,
    conditions: readonly Condition[],
    axes: readonly Axis[],
    via: Via,
  ): PlannedScan | undefined {
    const start = scanClock();
    const isLookup = (table: string) => data.checker.reach.route(base, table, via)?.kind === 'lookup';
    const size = axes.reduce((product, axis) => product * axis.width, 1);
    if (!axes.every((axis) => isLookup(axis.table)) || size > MOST_SIZE) return undefined;
    const bridged = bridgeMasks(data, base, conditions, via);
    if (!bridged) return undefined;
    const inputs = new Inputs(data, base, via);
    const probes = probesOf(inputs, bridged, axes);
    const where = conditions.flatMap((c) => c.columns.map(({ table, column }) => columnPath(table, column)));
    return new PlannedScan(inputs, probes, axes, size, { where, prepareMs: scanClock() - start });
  }

  /**
   * An aggregate over the base rows that refer to each row of its owner: one value per row. Undefined for one
   * that a plan cannot add up.
   */
  static byOwner(data: ModelRows, node: TypedAggregate & { readonly owner: string }): Value[] | undefined {
    const inputs = new Inputs(data, node.base, []);
    const way = inputs.way(node.owner);
    if (!way) return undefined;
    const size = data.rowCount(node.owner) + 1;
    const adds = way.through(Int32Array.from({ length: size }, (_, reference) => reference));
    const scan = new PlannedScan(
      inputs,
      [{ input: way.input, adds, width: size, stride: 1, passes: 1 }],
      [],
      size,
    );
    const values = scan.aggregate(node);
    if (!values) return undefined;
    const made = new Array<Value>(size).fill(values.at(-1)!);
    scan.ran!.groups.forEach((reference, place) => (made[reference] = values[place]!));
    return made.slice(1); // entry 0 is of the rows that refer to none
  }

  /** Members of the groups, by place. */
  get tuples(): Tuples {
    if (!this.made) {
      this.made = new Tuples(this.axes.map((axis) => axis.width));
      const strides = stridesOf(this.axes);
      for (const group of (this.ran ?? this.run([])).groups)
        this.made.add((p) => Math.floor(group / strides[p]!) % this.axes[p]!.width);
    }
    return this.made;
  }

  /** Numbers of the groups, by place: the first axis counts singly, each other by the widths before it. */
  get groupNumbers(): Float64Array {
    return (this.ran ?? this.run([])).groups;
  }

  /** Place of each base row's group, or -1: for what a plan does not add up. */
  get groups(): Int32Array {
    return (this.places ??= this.run([], true).places!);
  }

  /**
   * Values of an aggregate by group, and one more for no rows; undefined for one that a plan cannot add up.
   * `others` are worked out with it.
   */
  aggregate(node: TypedAggregate, others: readonly TypedAggregate[] = []): Value[] | undefined {
    if (!this.values.has(node)) this.prepare([node, ...others]);
    return this.values.get(node);
  }

  /** Works out aggregates in one pass over the rows. */
  prepare(nodes: readonly TypedAggregate[]): void {
    const missing = [...new Set(nodes)].filter((node) => !this.values.has(node));
    const planned = missing.map((node) => ({ node, plan: planAggregate(this.inputs, node, this.size) }));
    const fields = new Map<string, Field>();
    const keys = planned.map(({ plan }) => plan?.fields.map((field) => this.inputs.keyOf(field)) ?? []);
    planned.forEach(({ plan }, i) => plan?.fields.forEach((field, k) => fields.set(keys[i]![k]!, field)));
    for (const { node, plan } of planned) if (!plan) this.values.set(node, this.medians(node));
    if (fields.size === 0) return;
    const order = [...fields.keys()];
    const ran = this.run([...fields.values()]);
    planned.forEach(({ node, plan }, i) => {
      if (plan) this.values.set(node, plan.finish(keys[i]!.map((key) => ran.fields[order.indexOf(key)]!)));
    });
  }

  /**
   * Medians of a column of few values: rows are counted by group and value in one pass. Undefined for another
   * aggregate, or where those are too many to have a place each.
   */
  private medians(node: TypedAggregate): Value[] | undefined {
    if (node.aggregate !== 'median' || node.arg?.kind !== 'column') return undefined;
    const { column, input, through } = this.inputs.column(node.arg.table, node.arg.column);
    const width = column.size + 1;
    if (this.size * width > MOST_COUNTED_PLACES) return undefined;
    const probe: Probe = {
      input,
      ...(through ? { adds: Int32Array.from(through(codesByRow(column))) } : {}),
      width,
      stride: this.size,
      passes: 1,
    };
    const counting = new PlannedScan(this.inputs, [...this.probes, probe], this.axes, this.size * width);
    const only = node.filter && filterOf(this.inputs, node.filter);
    const ran = counting.run([{ kind: 'rows', ...(only ? { only } : {}) }]);
    const { counts } = ran.fields[0] as { counts: Float64Array };
    const numbers = this.groupNumbers;
    const placeOf = new Map(Array.from(numbers, (number, place) => [number, place]));
    const found = Array.from({ length: numbers.length + 1 }, (): CodeCount[] => []);
    const inOrder = [...ran.groups.keys()].sort((a, b) => ran.groups[a]! - ran.groups[b]!);
    for (const k of inOrder) {
      const code = Math.floor(ran.groups[k]! / this.size);
      if (code > 0) found[placeOf.get(ran.groups[k]! % this.size)!]!.push({ code, rows: counts[k]! });
    }
    const scale = scaleOf(node.arg.type!);
    // Over no rows, which comes last, there is none.
    return mediansByCount(found, (code) => toDouble(column.valuesOf([code])[0] as Exact, scale));
  }

  /** Base rows of a group, ascending; undefined where only the groups of all rows tell them. */
  rowsOf(place: number): number[] | undefined {
    const plan = this.planOf([]);
    if (this.places || !this.isCompiled(plan) || isHashed(plan)) return undefined;
    return Array.from(rowsOfGroup(plan, this.groupNumbers[place]!));
  }

  private planOf(fields: readonly Field[]): ScanPlan {
    return {
      rowCount: this.inputs.data.rowCount(this.inputs.base),
      inputs: this.inputs.codes,
      probes: this.probes,
      size: this.size,
      fields,
    };
  }

  private isCompiled({ rowCount }: ScanPlan): boolean {
    const { executor } = this.inputs.data;
    return executor === 'compiled' || (executor === 'auto' && rowCount >= WORTH_CODE);
  }

  private run(fields: readonly Field[], groups = false): Ran {
    const plan = this.planOf(fields);
    const isCompiled = this.isCompiled(plan);
    const start = scanClock();
    const ran = !isCompiled
      ? runPlain(plan, { groups })
      : groups
        ? runCompiled(plan, { groups })
        : runHelped(plan);
    tellScan(() => ({
      table: this.inputs.base,
      rows: plan.rowCount,
      left: ran.rows.reduce((sum, count) => sum + count, 0),
      groups: ran.groups.length,
      by: this.axes.map(({ table, column, name }) => columnPath(table, column ?? name)),
      where: this.about.where,
      fields: fields.length,
      executor: isCompiled ? 'compiled' : 'plain',
      grouping: isHashed(plan) ? 'as met' : 'by place',
      // Prepared once, whatever is asked of it.
      prepareMs: this.ran ? 0 : this.about.prepareMs,
      scanMs: scanClock() - start,
    }));
    // Groups come in the same order from each run of the same executor.
    this.ran ??= ran;
    return ran;
  }
}
