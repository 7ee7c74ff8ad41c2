import type { DataType, Exact, Value } from '../values/index.ts';
import {
  compareValues,
  DAY_MICROS,
  divideRounded,
  isExact,
  multiply,
  rescale,
  roundDouble,
  scaleOf,
  splitTimestamp,
  textReader,
  toDouble,
  toText,
} from '../values/index.ts';
import type { Typed } from './typed.ts';

/** A value for each index: of a row, or of a cell. */
export type Evaluate = (index: number) => Value;

/**
 * Turns the scalar part of a checked formula into a function of an index, with SQL's three-valued logic.
 * `leaf` gives the functions for what is no scalar operation: columns, aggregates, measures, contexts.
 */
export function compileScalar(node: Typed, leaf: (node: Typed) => Evaluate): Evaluate {
  const compile = (n: Typed) => compileScalar(n, leaf);
  switch (node.kind) {
    case 'constant': {
      const { value } = node;
      return () => value;
    }
    case 'apply':
      return compileApply(node, compile);
    case 'convert': {
      const operand = compile(node.operand);
      const convert = converter(node.operand.type, node.type!);
      return (i) => {
        const value = operand(i);
        return value === null ? null : convert(value);
      };
    }
    case 'logic': {
      const [left, right] = [compile(node.left), compile(node.right)];
      const decisive = node.operator === 'or';
      return (i) => {
        const a = left(i);
        if (a === decisive) return decisive;
        const b = right(i);
        if (b === decisive) return decisive;
        return a === null || b === null ? null : !decisive;
      };
    }
    case 'not': {
      const operand = compile(node.operand);
      return (i) => {
        const value = operand(i);
        return value === null ? null : !value;
      };
    }
    case 'compare':
      return compileCompare(node, compile);
    case 'is-null': {
      const operand = compile(node.operand);
      return node.not ? (i) => operand(i) !== null : (i) => operand(i) === null;
    }
    case 'is-distinct': {
      const [left, right] = [compile(node.left), compile(node.right)];
      return (i) => (compareValues(left(i), right(i)) !== 0) !== node.not;
    }
    case 'in':
      return compileIn(node, compile);
    case 'like': {
      const [operand, pattern] = [compile(node.operand), compile(node.pattern)];
      const matcher = likeMatcher();
      return (i) => {
        const [text, like] = [operand(i), pattern(i)];
        return text === null || like === null ? null : matcher(text as string, like as string) !== node.not;
      };
    }
    case 'case': {
      const branches = node.branches.map(({ when, then }) => ({ when: compile(when), then: compile(then) }));
      const otherwise = node.otherwise ? compile(node.otherwise) : () => null;
      return (i) => {
        for (const { when, then } of branches) if (when(i) === true) return then(i);
        return otherwise(i);
      };
    }
    default:
      return leaf(node);
  }
}

function compileApply(node: Extract<Typed, { kind: 'apply' }>, compile: (n: Typed) => Evaluate): Evaluate {
  const args = node.args.map(compile);
  const { evaluate } = node.application;
  if (node.takesNulls) return (i) => evaluate(...args.map((arg) => arg(i)));
  if (args.length === 1) {
    const only = args[0]!;
    return (i) => {
      const value = only(i);
      return value === null ? null : evaluate(value);
    };
  }
  if (args.length === 2) {
    const [first, second] = args as [Evaluate, Evaluate];
    return (i) => {
      const a = first(i);
      if (a === null) return null;
      const b = second(i);
      return b === null ? null : evaluate(a, b);
    };
  }
  return (i) => {
    const values = args.map((arg) => arg(i));
    return values.includes(null) ? null : evaluate(...values);
  };
}

const ORDERS: Record<string, (order: number) => boolean> = {
  '=': (o) => o === 0,
  '<>': (o) => o !== 0,
  '<': (o) => o < 0,
  '<=': (o) => o <= 0,
  '>': (o) => o > 0,
  '>=': (o) => o >= 0,
};

function compileCompare(
  node: Extract<Typed, { kind: 'compare' }>,
  compile: (n: Typed) => Evaluate,
): Evaluate {
  const [left, right] = [compile(node.left), compile(node.right)];
  const holds = ORDERS[node.operator]!;
  return (i) => {
    const a = left(i);
    if (a === null) return null;
    const b = right(i);
    return b === null ? null : holds(compareValues(a, b));
  };
}

function compileIn(node: Extract<Typed, { kind: 'in' }>, compile: (n: Typed) => Evaluate): Evaluate {
  const operand = compile(node.operand);
  const list = node.list.map(compile);
  const constant = node.list.every((item) => item.kind === 'constant');
  const fixed = constant ? new Set(list.map((item) => item(0))) : undefined;
  return (i) => {
    const value = operand(i);
    if (value === null) return list.length === 0 ? node.not : null;
    const members = fixed ?? new Set(list.map((item) => item(i)));
    if (members.has(value)) return !node.not;
    return members.has(null) ? null : node.not;
  };
}

/** SQL's like: % is any text, _ one character; case matters. Patterns are compiled once. */
function likeMatcher(): (text: string, pattern: string) => boolean {
  let [known, expression] = ['', /^$/su];
  return (text, pattern) => {
    if (pattern !== known || expression.source === '^$') {
      known = pattern;
      const source = [...pattern]
        .map((c) =>
          c === '%' ? '.*' : c === '_' ? '.' : c.replace(/[.*+?^${}()|[\]\\/-]/u, '\\$&').replace('\\-', '-'),
        )
        .join('');
      expression = new RegExp(`^${source}$`, 'su');
    }
    return expression.test(text);
  };
}

/**
 * Converts a non-null value between types, as cast does; what has no meaning in the new type becomes null.
 */
export function converter(from: DataType | null, to: DataType): (value: Value) => Value {
  if (from === null || (from.kind === to.kind && scaleOf(from) === scaleOf(to) && from.kind !== 'decimal'))
    return (value) => value;
  if (to.kind === 'text') return (value) => toText(value, from);
  if (from.kind === 'text') {
    const read = textReader(to.kind === 'decimal' ? { kind: 'double' } : to);
    if (to.kind === 'decimal' || to.kind === 'integer')
      return (value) => textToExact(value as string, scaleOf(to), to);
    return (value) => read((value as string).trim()) ?? null;
  }
  if (isExact(to)) {
    if (isExact(from)) return (value) => fits(rescale(value as Exact, scaleOf(from), scaleOf(to)), to);
    if (from.kind === 'double') return (value) => doubleToExact(value as number, scaleOf(to), to);
    if (from.kind === 'boolean') return (value) => multiply(value ? 1 : 0, 10 ** scaleOf(to));
    return () => null;
  }
  if (to.kind === 'double')
    return isExact(from)
      ? (value) => toDouble(value as Exact, scaleOf(from))
      : from.kind === 'boolean'
        ? (value) => (value ? 1 : 0)
        : () => null;
  if (to.kind === 'boolean')
    return isExact(from) || from.kind === 'double' ? (value) => value !== 0 : () => null;
  if (to.kind === 'date')
    return from.kind === 'timestamp' ? (value) => splitTimestamp(value as Exact).days : () => null;
  if (to.kind === 'timestamp')
    return from.kind === 'date' ? (value) => multiply(value as number, DAY_MICROS) : () => null;
  return () => null;
}

const fits = (value: Exact, type: DataType): Value =>
  type.kind === 'integer' && (value > 9223372036854775807n || value < -9223372036854775808n) ? null : value;

function textToExact(text: string, scale: number, type: DataType): Value {
  const match = /^\s*([+-]?)(\d*)(?:\.(\d*))?\s*$/.exec(text);
  if (!match || (match[2] === '' && !match[3])) return null;
  const digits = BigInt((match[2] ?? '') + (match[3] ?? '') || '0');
  const at = (match[3] ?? '').length;
  const signed = match[1] === '-' ? -digits : digits;
  const exact =
    at > scale
      ? divideRounded(signed, 10n ** BigInt(at - scale))
      : multiply(signed, 10n ** BigInt(scale - at));
  return fits(exact, type);
}

function doubleToExact(value: number, scale: number, type: DataType): Value {
  const rounded = roundDouble(value, scale);
  const text = rounded.toFixed(Math.min(scale, 100));
  return /e/i.test(text)
    ? fits(BigInt(Math.round(rounded)) * 10n ** BigInt(scale), type)
    : textToExact(text, scale, type);
}
