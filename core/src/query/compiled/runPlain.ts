import { add, multiply, narrow, negate } from '../../values/index.ts';
import type { Exact } from '../../values/index.ts';
import type { Expression, Field, FieldResult, ScanPlan, ScanResult } from './plan.ts';
import { isDouble, NULL_INTEGER } from './plan.ts';
import { lookForInterruption } from '../interruption.ts';

/** Rows at a time, whose groups are found before anything is added up. */
const BLOCK_ROWS = 4096;

/**
 * Runs a plan the plain way, a block of rows at a time: first the group of each row, then field by field.
 * What it says is what a scan is;
 * `runCompiled` must say the same.
 */
export function runPlain(
  plan: ScanPlan,
  wanted: { groups: boolean } = { groups: false },
): ScanResult & { readonly places?: Int32Array } {
  const numbers = new Numbers(plan.size);
  const places = wanted.groups ? new Int32Array(plan.rowCount) : undefined;
  const block = new Int32Array(BLOCK_ROWS);
  const rows: number[] = [];
  const sinks = plan.fields.map((field) => sinkOf(plan, field));
  for (let from = 0; from < plan.rowCount; from += BLOCK_ROWS) {
    lookForInterruption();
    const count = Math.min(BLOCK_ROWS, plan.rowCount - from);
    groupBlock(plan, numbers, from, count, block);
    places?.set(block.subarray(0, count), from);
    for (let i = 0; i < count; i++) {
      const place = block[i]!;
      if (place >= 0) rows[place] = (rows[place] ?? 0) + 1;
    }
    plan.fields.forEach(({ only }, f) => {
      const { take } = sinks[f]!;
      const input = only && plan.inputs[only.input]!;
      for (let i = 0; i < count; i++)
        if (block[i]! >= 0 && (!only || only.passes[input![from + i]!] !== 0)) take(block[i]!, from + i);
    });
  }
  const groups = numbers.groups();
  return {
    groups,
    rows: Float64Array.from(rows),
    fields: sinks.map((sink) => sink.result(groups.length)),
    ...(places ? { places } : {}),
  };
}

/** Numbers groups from 0 on as they come. */
class Numbers {
  private readonly known = new Map<number, number>();
  /** For few combinations an array answers faster. */
  private readonly dense: Int32Array | undefined;
  private readonly list: number[] = [];

  constructor(size: number) {
    if (size <= 1 << 22) this.dense = new Int32Array(size).fill(-1);
  }

  of(group: number): number {
    const known = this.dense ? this.dense[group]! : (this.known.get(group) ?? -1);
    if (known >= 0) return known;
    const number = this.list.push(group) - 1;
    if (this.dense) this.dense[group] = number;
    else this.known.set(group, number);
    return number;
  }

  groups(): Float64Array {
    return Float64Array.from(this.list);
  }
}

function groupBlock(
  { inputs, probes }: ScanPlan,
  numbers: Numbers,
  from: number,
  count: number,
  block: Int32Array,
): void {
  const sums = new Float64Array(count);
  for (const { input, adds, stride } of probes) {
    const codes = inputs[input]!;
    for (let i = 0; i < count; i++) {
      const taken = adds ? adds[codes[from + i]!]! : codes[from + i]!;
      if (taken < 0 || sums[i]! < 0) sums[i] = -1;
      else sums[i]! += taken * stride;
    }
  }
  for (let i = 0; i < count; i++) block[i] = sums[i]! < 0 ? -1 : numbers.of(sums[i]!);
}

interface Sink {
  take(group: number, row: number): void;
  result(groups: number): FieldResult;
}

function sinkOf(plan: ScanPlan, field: Field): Sink {
  const counts: number[] = [];
  const add1 = (group: number) => void (counts[group] = (counts[group] ?? 0) + 1);
  const counted = (groups: number): FieldResult => ({
    kind: 'counts',
    counts: Float64Array.from({ length: groups }, (_, g) => counts[g] ?? 0),
  });
  if (field.kind === 'rows') return { take: add1, result: counted };
  if (field.kind === 'sum') return sumSink(plan, field.of, counts);
  const input = plan.inputs[field.input]!;
  if (field.kind === 'filled') {
    const { filled } = field;
    return {
      take: (group, row) => {
        if (filled ? filled[input[row]!] !== 0 : input[row] !== 0) add1(group);
      },
      result: counted,
    };
  }
  const { codes } = field;
  const codeOf = (row: number) => (codes ? codes[input[row]!]! : input[row]!);
  if (field.kind === 'distinct') {
    const seen: Set<number>[] = [];
    return {
      take: (group, row) => {
        const code = codeOf(row);
        if (code !== 0) (seen[group] ??= new Set()).add(code);
      },
      result: (groups) => ({
        kind: 'counts',
        counts: Float64Array.from({ length: groups }, (_, g) => seen[g]?.size ?? 0),
      }),
    };
  }
  const best: number[] = [];
  const isBetter =
    field.kind === 'least'
      ? (code: number, held: number) => code < held
      : (code: number, held: number) => code > held;
  return {
    take: (group, row) => {
      const code = codeOf(row);
      const held = best[group] ?? 0;
      if (code !== 0 && (held === 0 || isBetter(code, held))) best[group] = code;
    },
    result: (groups) => ({
      kind: 'codes',
      codes: Uint32Array.from({ length: groups }, (_, g) => best[g] ?? 0),
    }),
  };
}

function sumSink(plan: ScanPlan, of: Expression, counts: number[]): Sink {
  const value = valueOf(plan, of);
  const sums: Exact[] = [];
  const double = isDouble(of);
  return {
    take: (group, row) => {
      const one = value(row);
      if (one === null) return;
      counts[group] = (counts[group] ?? 0) + 1;
      sums[group] = double ? ((sums[group] ?? 0) as number) + (one as number) : add(sums[group] ?? 0, one);
    },
    result: (groups) => ({
      kind: 'sums',
      counts: Float64Array.from({ length: groups }, (_, g) => counts[g] ?? 0),
      sums: double
        ? Float64Array.from({ length: groups }, (_, g) => (sums[g] ?? 0) as number)
        : BigInt64Array.from(Array.from({ length: groups }, (_, g) => BigInt(sums[g] ?? 0))),
    }),
  };
}

/** An expression as a function of the row. */
function valueOf(plan: ScanPlan, e: Expression): (row: number) => Exact | null {
  switch (e.kind) {
    case 'integer': {
      const input = plan.inputs[e.input]!;
      const { values, first } = e;
      if (!values) return (row) => (input[row] === 0 ? null : input[row]! + first - 1);
      return (row) => {
        const value = values[input[row]!]!;
        return value === NULL_INTEGER ? null : narrow(value);
      };
    }
    case 'double': {
      const input = plan.inputs[e.input]!;
      return (row) => {
        const value = e.values[input[row]!]!;
        return Number.isNaN(value) ? null : value;
      };
    }
    case 'integer-constant': {
      const value = narrow(e.value);
      return () => value;
    }
    case 'double-constant':
      return () => e.value;
    case 'to-double': {
      const operand = valueOf(plan, e.operand);
      return (row) => {
        const value = operand(row);
        return value === null ? null : Number(value) / e.divisor;
      };
    }
    case 'integer-operation':
    case 'double-operation':
    case 'quotient':
      return operationOf(plan, e);
  }
}

function operationOf(
  plan: ScanPlan,
  e: Extract<Expression, { left: Expression }>,
): (row: number) => Exact | null {
  const [left, right] = [valueOf(plan, e.left), valueOf(plan, e.right)];
  const apply: (a: Exact, b: Exact) => Exact =
    e.kind === 'integer-operation'
      ? e.operator === '+'
        ? add
        : e.operator === '-'
          ? (a, b) => add(a, negate(b))
          : multiply
      : e.kind === 'quotient'
        ? (a, b) => (a as number) / (b as number)
        : e.operator === '+'
          ? (a, b) => (a as number) + (b as number)
          : e.operator === '-'
            ? (a, b) => (a as number) - (b as number)
            : (a, b) => (a as number) * (b as number);
  const isWhole = e.kind === 'integer-operation';
  return (row) => {
    const [a, b] = [left(row), right(row)];
    if (a === null || b === null) return null;
    const made = apply(a, b);
    return isWhole || Number.isFinite(made as number) ? made : null;
  };
}
