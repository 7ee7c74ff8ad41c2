import type { FormulaChecker, Typed } from '../formula/index.ts';
import { columnPath } from '../formula/index.ts';
import type { Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { answerQuery } from './answer.ts';
import type { ModelData } from './modelData.ts';

/** What reading a formula tells: whether values by members add up to the value for all of them. */
export interface ReadAdditivity {
  readonly adds: 'yes' | 'no' | 'perhaps';
  /** What speaks against it, or what it hangs on. */
  readonly why?: string;
}

/** Whether a measure adds up over a dimension: as its formula says, and as its rows have it. */
export interface Additivity {
  readonly table: string;
  /** The attribute by which it was tried: the first column of the key. */
  readonly attribute: string;
  readonly read: ReadAdditivity;
  /** Nothing where there are no rows. */
  readonly tried?: {
    readonly adds: boolean;
    readonly members: number;
    /** Of the values by member, and the value for all; doubles. */
    readonly sum: number;
    readonly total: number;
  };
}

const YES: ReadAdditivity = { adds: 'yes' };
const no = (why: string): ReadAdditivity => ({ adds: 'no', why });
const perhaps = (why: string): ReadAdditivity => ({ adds: 'perhaps', why });

/** Sums of doubles depend on their order: this much of their size is no difference. */
const TOLERANCE = 1e-9;

/**
 * Over which dimensions a measure can be added up: for each that reaches it what its formula says, beside the
 * sum of its values by member held against its value for all. Throws QueryError where the measure is broken.
 */
export function additivityOf(data: ModelData, measure: string): Additivity[] {
  const { checker } = data;
  const typed = checker.measure(measure)?.typed;
  const bases = typed ? [...checker.basesOf(typed)] : [];
  const via = viaOf(checker, measure);
  const reached = data.model.tables.filter(
    (t) =>
      t.role === 'dimension' &&
      (t.key ?? []).length > 0 &&
      bases.length > 0 &&
      bases.every((base) => {
        const route = checker.reach.route(base, t.name, via);
        return route !== undefined && route.kind !== 'ambiguous';
      }),
  );
  return reached.flatMap((table) => {
    const attribute = columnPath(table.name, table.key![0]!);
    const answer = answerQuery(data, { by: [attribute], measures: [measure], totals: true });
    // Finer than what the measure refers to: it does not apply by the key.
    if (answer.unreached.length > 0) return [];
    const total = answer.totals![0] ?? null;
    const values = answer.rows.flatMap((row) => (row[1] === null ? [] : [Number(row[1])]));
    const sum = values.reduce((n, value) => n + value, 0);
    const read = readAdditivity(checker, typed!, table, via);
    if (total === null || values.some((v) => Number.isNaN(v)))
      return [{ table: table.name, attribute, read }];
    const size = Math.max(Math.abs(sum), Math.abs(Number(total)));
    const adds = Math.abs(sum - Number(total)) <= TOLERANCE * size;
    const tried = { adds, members: values.length, sum, total: Number(total) };
    return [{ table: table.name, attribute, read, tried }];
  });
}

const viaOf = (checker: FormulaChecker, measure: string): string[] => {
  const via = checker.names.measure(measure)?.via;
  return via === undefined ? [] : [via.toLowerCase()];
};

/** Whether a formula adds up over the members of a table, by its words alone. */
export function readAdditivity(
  checker: FormulaChecker,
  node: Typed,
  table: Table,
  via: readonly string[],
): ReadAdditivity {
  const inner = (part: Typed) => readAdditivity(checker, part, table, via);
  switch (node.kind) {
    case 'aggregate': {
      if (node.distinct) return no('a distinct count');
      if (node.aggregate !== 'sum' && node.aggregate !== 'count') return no(node.aggregate);
      return checker.reach.route(node.base, table.name, via)?.kind === 'lookup'
        ? YES
        : perhaps(`a row of ${node.base} can have several members of ${table.name}`);
    }
    case 'measure':
      return readAdditivity(checker, checker.measure(node.name)!.typed!, table, [
        ...viaOf(checker, node.name),
        ...via,
      ]);
    case 'step':
    case 'convert':
      return inner(node.operand);
    case 'context':
      return readContext(checker, node, table, via);
    case 'per':
      return node.aggregate === 'sum' ? perhaps('a sum of values of its own') : no(`${node.aggregate} … per`);
    case 'apply':
      return readApplied(node, inner);
    case 'constant':
      return no('a constant');
    default:
      return no('it is no sum');
  }
}

/** Sums and differences add up where their parts do, products and quotients where the rest is constant. */
function readApplied(
  { name, args }: Extract<Typed, { kind: 'apply' }>,
  inner: (part: Typed) => ReadAdditivity,
): ReadAdditivity {
  const isConstant = (part: Typed | undefined) =>
    part?.kind === 'constant' || (part?.kind === 'convert' && part.operand.kind === 'constant');
  const [left, right] = args;
  if ((name === '+' || name === '-') && args.every((arg) => !isConstant(arg))) {
    const parts = args.map(inner);
    return parts.find((p) => p.adds === 'no') ?? parts.find((p) => p.adds === 'perhaps') ?? YES;
  }
  if (name === '*' && isConstant(left) !== isConstant(right)) return inner(isConstant(left) ? right! : left!);
  if (name === '/' && isConstant(right) && !isConstant(left)) return inner(left!);
  if (name === 'coalesce') return perhaps('coalesce');
  const names: Readonly<Record<string, string>> = {
    '/': 'a quotient',
    '*': 'a product',
    '+': 'a constant part',
    '-': 'a constant part',
  };
  return no(names[name] ?? name);
}

function readContext(
  checker: FormulaChecker,
  { operand, words }: Extract<Typed, { kind: 'context' }>,
  table: Table,
  outer: readonly string[],
): ReadAdditivity {
  const via = [...outer, ...(words.via ?? [])];
  const inner = readAdditivity(checker, operand, table, via);
  if (inner.adds === 'no') return inner;
  const isOf = (name: string) => checker.reach.closure(name).has(table.name.toLowerCase());
  if (words.ignoring?.what === 'everything' || words.ignoring?.targets.some((t) => isOf(t.table)))
    return no('its conditions are ignored');
  if (words.given && !words.given.some((t) => isOf(t.table))) return no('its conditions are not given');
  if (words.over && isOf(words.over.calendar)) return no('a period takes the place of its days');
  if (words.at) {
    const { column, which, per } = words.at;
    const text = `${which} ${column.table}.${column.column}`;
    const isTime = sameName(column.table, table.name) || refersBy(checker, column, table);
    if (isTime) return no(`the ${text} of each`);
    return per.length > 0 ? inner : perhaps(`where all have the same ${text}`);
  }
  return inner;
}

/** Whether a column of a fact refers to the table. */
const refersBy = (
  checker: FormulaChecker,
  column: { table: string; column: string },
  table: Table,
): boolean =>
  (checker.model.relationships ?? []).some(
    (r) =>
      sameName(r.from.table, column.table) &&
      r.from.columns.some((c) => sameName(c, column.column)) &&
      sameName(r.to.table, table.name),
  );
