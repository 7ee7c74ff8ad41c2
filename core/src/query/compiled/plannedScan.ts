import type { Exact, Value } from '../../values/index.ts';
import { narrow, scaleOf, toDouble } from '../../values/index.ts';
import type { Codes, Column } from '../../columns/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { Typed, TypedAggregate } from '../../formula/index.ts';
import { tablesOf } from '../../formula/index.ts';
import type { Via } from '../../relate/index.ts';
import type { Axis, Condition } from '../context.ts';
import { codeMask, dayMask, onlyColumn, rowMask } from '../masks.ts';
import type { ModelData } from '../modelData.ts';
import { compileRow } from '../rowFormula.ts';
import { Tuples } from '../tuples.ts';
import type { ColumnInput, Through } from './operands.ts';
import { expressionOf } from './operands.ts';
import type { Field, FieldResult, Probe, ScanPlan, ScanResult } from './plan.ts';
import { runCompiled } from './runCompiled.ts';
import { runPlain } from './runPlain.ts';

/** Which executor runs plans. `auto` has code made where there are enough rows to be worth it. */
export type Executor = 'auto' | 'plain' | 'compiled';
const WORTH_CODE = 20_000;

/** Groups times codes up to which a bit per pair is kept (16 MB). */
const MOST_BITS = 1 << 27;
const MOST_SIZE = 2 ** 53;

type Ran = ScanResult & { readonly places?: Int32Array };

/** How the fields of an aggregate become its values: one per group, and one more for no rows. */
interface PlannedAggregate {
  readonly fields: readonly Field[];
  finish(results: readonly FieldResult[]): Value[];
}

/** Rows of a base table under conditions, grouped by axes, where each condition and axis is looked up or stands on the row. */
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
  ) {}

  /** Undefined where a condition or an axis comes through a bridge, or members have too many combinations to be numbered. */
  static of(data: ModelData, base: string, conditions: readonly Condition[], axes: readonly Axis[], via: Via): PlannedScan | undefined {
    const isLookup = (table: string) => data.checker.reach.route(base, table, via)?.kind === 'lookup';
    const named = [...axes.map((axis) => axis.table), ...conditions.flatMap((c) => (c.kind === 'days' ? [c.calendar] : tablesOf(c.typed)))];
    const size = axes.reduce((product, axis) => product * axis.width, 1);
    if (!named.every(isLookup) || size > MOST_SIZE) return undefined;
    const inputs = new Inputs(data, base, via);
    return new PlannedScan(inputs, probesOf(inputs, conditions, axes), axes, size);
  }

  /** An aggregate over the base rows that refer to each row of its owner: one value per row. Undefined for one that a plan cannot add up. */
  static byOwner(data: ModelData, node: TypedAggregate & { readonly owner: string }): Value[] | undefined {
    const inputs = new Inputs(data, node.base, []);
    const way = inputs.way(node.owner);
    if (!way) return undefined;
    const size = data.rowCount(node.owner) + 1;
    const adds = way.through(Int32Array.from({ length: size }, (_, reference) => reference));
    const scan = new PlannedScan(inputs, [{ input: way.input, adds, width: size, stride: 1, passes: 1 }], [], size);
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
      for (const group of (this.ran ?? this.run([])).groups) this.made.add((p) => Math.floor(group / strides[p]!) % this.axes[p]!.width);
    }
    return this.made;
  }

  /** Place of each base row's group, or -1: for what a plan does not add up. */
  get groups(): Int32Array {
    return (this.places ??= this.run([], true).places!);
  }

  /** Values of an aggregate by group, and one more for no rows; undefined for one that a plan cannot add up. `others` are worked out with it. */
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
    for (const { node, plan } of planned) if (!plan) this.values.set(node, undefined);
    if (fields.size === 0) return;
    const order = [...fields.keys()];
    const ran = this.run([...fields.values()]);
    planned.forEach(({ node, plan }, i) => {
      if (plan) this.values.set(node, plan.finish(keys[i]!.map((key) => ran.fields[order.indexOf(key)]!)));
    });
  }

  private run(fields: readonly Field[], groups = false): Ran {
    const plan: ScanPlan = {
      rowCount: this.inputs.data.rowCount(this.inputs.base),
      inputs: this.inputs.codes,
      probes: this.probes,
      size: this.size,
      fields,
    };
    const { executor } = this.inputs.data;
    const compiled = executor === 'compiled' || (executor === 'auto' && plan.rowCount >= WORTH_CODE);
    const ran = compiled ? runCompiled(plan, { groups }) : runPlain(plan, { groups });
    // Groups come in the same order from each run of the same executor.
    this.ran ??= ran;
    return ran;
  }
}

/** An input that leads to rows of a looked-up table, and what makes tables by row + 1 tables by what it holds. */
interface Way {
  readonly input: number;
  readonly through: Through;
}

/** The arrays that a plan reads, each once. */
class Inputs {
  readonly codes: Codes[] = [];
  private readonly tables = new Map<object, number>();

  constructor(
    readonly data: ModelData,
    readonly base: string,
    readonly via: Via,
  ) {}

  of(codes: Codes): number {
    const known = this.codes.indexOf(codes);
    return known >= 0 ? known : this.codes.push(codes) - 1;
  }

  /** How the base table leads to one that it looks up; undefined for the base table itself. */
  way(table: string): Way | undefined {
    const start = this.data.pathStart(this.data.checker.reach.lookup(this.base, table, this.via)!);
    if (!start) return undefined;
    const { codes, rowOf } = start;
    return {
      input: this.of(codes),
      through: (byRow) => {
        if (!rowOf) return byRow;
        const byCode = new (byRow.constructor as new (length: number) => typeof byRow)(rowOf.length);
        for (let code = 0; code < rowOf.length; code++) byCode[code] = byRow[rowOf[code]!]!;
        return byCode;
      },
    };
  }

  column(table: string, name: string): ColumnInput {
    const column = this.data.column(table, name);
    return { column, ...(this.way(table) ?? { input: this.of(column.codes) }) };
  }

  /** What a condition says of each base row. */
  baseMask(typed: Typed): Uint8Array {
    const passes = compileRow(this.data, typed, (table) => this.data.lookupIndex(this.base, table, this.via));
    return Uint8Array.from({ length: this.data.rowCount(this.base) }, (_, row) => (passes(row) === true ? 1 : 0));
  }

  /** Tells fields apart: two of one key are the same. */
  keyOf(field: Field): string {
    return JSON.stringify(field, (_, value: unknown) => {
      if (typeof value === 'bigint') return `${value}n`;
      if (typeof value === 'number' && !Number.isFinite(value)) return String(value);
      if (!ArrayBuffer.isView(value)) return value;
      if (!this.tables.has(value)) this.tables.set(value, this.tables.size);
      return { table: this.tables.get(value) };
    });
  }
}

function stridesOf(axes: readonly Axis[]): number[] {
  let stride = 1;
  return axes.map(({ width }) => {
    const own = stride;
    stride *= width;
    return own;
  });
}

const share = (mask: Uint8Array): number => (mask.length === 0 ? 1 : mask.reduce((sum, one) => sum + one, 0) / mask.length);

const rejecting = (mask: Uint8Array): Int32Array => Int32Array.from(mask, (one) => one - 1);

function probesOf(inputs: Inputs, conditions: readonly Condition[], axes: readonly Axis[]): Probe[] {
  const probes: Probe[] = [];
  const masks = new Map<string, Uint8Array>();
  const reject = (input: number, mask: Uint8Array) =>
    void probes.push({ input, adds: rejecting(mask), width: 1, stride: 1, passes: share(mask) });
  /** Conditions on a looked-up table are judged on its rows, and meet there with its axes. */
  const note = (table: string, mask: Uint8Array) => {
    const known = masks.get(table.toLowerCase());
    masks.set(table.toLowerCase(), known ? known.map((one, row) => one & mask[row]!) : mask);
  };
  for (const condition of conditions) {
    const table = condition.kind === 'days' ? condition.calendar : onlyTable(condition.typed);
    if (condition.kind === 'days') {
      const mask = dayMask(inputs.data, inputs.base, condition, inputs.via);
      if (inputs.way(condition.calendar)) note(condition.calendar, mask);
      else reject(inputs.of(mask.subarray(1)), Uint8Array.of(0, 1));
    } else if (table !== undefined && inputs.way(table)) note(table, rowMask(inputs.data, table, condition.typed));
    else {
      const only = table === undefined ? undefined : onlyColumn(inputs.data, condition.typed);
      if (only && only.domain.size < only.rowCount) reject(inputs.of(only.codes), codeMask(only, condition.typed));
      else reject(inputs.of(inputs.baseMask(condition.typed)), Uint8Array.of(0, 1));
    }
  }
  const strides = stridesOf(axes);
  for (const [p, axis] of axes.entries()) {
    const way = inputs.way(axis.table);
    if (!way) {
      probes.push({ input: inputs.of(axis.codes), width: axis.width, stride: strides[p]!, passes: 1 });
      continue;
    }
    const adds = new Int32Array(axis.codes.length + 1);
    for (let row = 0; row < axis.codes.length; row++) adds[row + 1] = axis.codes[row]!;
    probes.push({ input: way.input, adds: way.through(adds), width: axis.width, stride: strides[p]!, passes: 1 });
  }
  for (const [table, mask] of masks) {
    const { input, through } = inputs.way(table)!;
    reject(input, through(mask));
  }
  return joined(probes);
}

const onlyTable = (typed: Typed): string | undefined => {
  const tables = tablesOf(typed);
  return tables.length === 1 ? tables[0] : undefined;
};

/** The most that one table adds: what a 32-bit number holds. */
const MOST_ADDED = 2 ** 31;

/** Probes of one input with tables become one probe: a row of a looked-up table is met once, whatever is asked of it. */
function joined(probes: readonly Probe[]): Probe[] {
  const made: Probe[] = [];
  for (const probe of probes) {
    const at = made.findIndex((other) => other.input === probe.input && other.adds && probe.adds);
    const other = made[at];
    if (!other) {
      made.push(probe);
      continue;
    }
    const most = (other.width - 1) * other.stride + (probe.width - 1) * probe.stride;
    if (most >= MOST_ADDED) {
      made.push(probe);
      continue;
    }
    const adds = other.adds!.map((one, k) => (one < 0 || probe.adds![k]! < 0 ? -1 : one * other.stride + probe.adds![k]! * probe.stride));
    const passes = adds.reduce((sum, one) => sum + (one < 0 ? 0 : 1), 0) / adds.length;
    made[at] = { input: probe.input, adds, width: most + 1, stride: 1, passes };
  }
  return made;
}

function planAggregate(inputs: Inputs, node: TypedAggregate, size: number): PlannedAggregate | undefined {
  const made = plainAggregate(inputs, node, size);
  if (!made || !node.filter) return made;
  const only = filterOf(inputs, node.filter);
  return { ...made, fields: made.fields.map((field) => ({ ...field, only })) };
}

function filterOf(inputs: Inputs, filter: Typed): NonNullable<Field['only']> {
  const table = onlyTable(filter);
  const way = table === undefined ? undefined : inputs.way(table);
  if (table !== undefined && way) return { input: way.input, passes: way.through(rowMask(inputs.data, table, filter)) };
  const column = table === undefined ? undefined : onlyColumn(inputs.data, filter);
  if (column && column.domain.size < column.rowCount) return { input: inputs.of(column.codes), passes: codeMask(column, filter) };
  return { input: inputs.of(inputs.baseMask(filter)), passes: Uint8Array.of(0, 1) };
}

const withNone = (values: Value[], none: Value): Value[] => [...values, none];

function plainAggregate(inputs: Inputs, node: TypedAggregate, size: number): PlannedAggregate | undefined {
  const { arg, aggregate } = node;
  const counts: PlannedAggregate['finish'] = ([result]) => withNone(Array.from((result as { counts: Float64Array }).counts), 0);
  if (aggregate === 'count' && !arg) return { fields: [{ kind: 'rows' }], finish: counts };
  if (!arg) return undefined;
  if (aggregate === 'sum' || aggregate === 'avg') return planSum(inputs, node, arg);
  if (arg.kind !== 'column') return undefined;
  const { column, input, through } = inputs.column(arg.table, arg.column);
  const codes = through ? { codes: through(codesByRow(column)) } : {};
  switch (aggregate) {
    case 'count':
      if (!node.distinct)
        return { fields: [{ kind: 'filled', input, ...(through ? { filled: through(filledByRow(column)) } : {}) }], finish: counts };
      if ((size + 1) * (column.domain.size + 1) > MOST_BITS) return undefined;
      return { fields: [{ kind: 'distinct', input, ...codes, width: column.domain.size + 1 }], finish: counts };
    case 'min':
    case 'max':
      return {
        fields: [{ kind: aggregate === 'min' ? 'least' : 'greatest', input, ...codes }],
        finish: ([result]) => {
          const values = columnValues(column);
          return withNone(
            Array.from((result as { codes: Uint32Array }).codes, (code) => values[code]!),
            null,
          );
        },
      };
    default:
      return undefined;
  }
}

function planSum(inputs: Inputs, node: TypedAggregate, arg: Typed): PlannedAggregate | undefined {
  const made = expressionOf(arg, (table, column) => inputs.column(table, column));
  if (!made || arg.type === null || made.most * inputs.data.rowCount(inputs.base) >= 2 ** 62) return undefined;
  const scale = scaleOf(arg.type);
  return {
    fields: [{ kind: 'sum', of: made.expression }],
    finish: ([result]) => {
      const { sums, counts } = result as Extract<FieldResult, { kind: 'sums' }>;
      const values = Array.from(counts, (count, g): Value => {
        if (count === 0) return null;
        const sum: Exact = typeof sums[g] === 'bigint' ? narrow(sums[g]) : sums[g]!;
        return node.aggregate === 'avg' ? toDouble(sum, scale) / count : sum;
      });
      return withNone(values, null);
    },
  };
}

function codesByRow(column: Column): Uint32Array {
  const codes = new Uint32Array(column.rowCount + 1);
  codes.set(column.codes, 1);
  return codes;
}

const filledByRow = (column: Column): Uint8Array => Uint8Array.from(codesByRow(column), (code) => (code === 0 ? 0 : 1));
