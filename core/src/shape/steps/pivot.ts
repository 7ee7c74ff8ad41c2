import type { Value } from '../../values/index.ts';
import { toText } from '../../values/index.ts';
import type { Column, TableData } from '../../columns/index.ts';
import { columnOfValues, columnValues, combinations, tableOf } from '../../columns/index.ts';
import { sameName } from '../../model/index.ts';
import { aggregateGroups, DataError } from '../../query/index.ts';
import { isNumeric } from '../../values/index.ts';
import type { StepKind } from '../step.ts';
import { few, pickRows, stepColumn } from '../step.ts';

type Into = { readonly value: string; readonly as: string };

const asInto = (one: string | Into): Into => (typeof one === 'string' ? { value: one, as: one } : one);

/**
 * `{ "pivot": { "by": ["branch"], "name": "measure", "value": "amount", "into": ["Loans", "Visits"] } }`: the
 * wide form, a row for each combination of `by` and a column for each of some values of `name`. Numbers of
 * one cell are added; of other values there is to be one. Other values of `name` are left out.
 */
export const pivot: StepKind<'pivot'> = {
  verb: 'pivot',
  says: 'Rows into columns: a column for each of some values',
  empty: (columns) => {
    const texts = columns.filter((c) => c.type === 'text');
    const number = columns.find((c) => /^(integer|decimal|double)/.test(c.type));
    const name = texts.at(-1)?.name ?? columns[0]?.name ?? '';
    const value = number?.name ?? columns.at(-1)?.name ?? '';
    return {
      by: columns.map((c) => c.name).filter((c) => c !== name && c !== value),
      name,
      value,
      into: [],
    };
  },
  text: ({ by, name, value, into }) =>
    `${value} by ${name} as columns ${few(into.map((one) => asInto(one).as))}, one row per ${few(by)}`,
  apply: (input, { by, name, value, into }) => {
    const keys = by.map((key) => stepColumn(input, key, 'pivot'));
    const [names, values] = [stepColumn(input, name, 'pivot'), stepColumn(input, value, 'pivot')];
    const { numbers, size } = combinations(keys, input.rowCount);
    const groupCount = keys.length === 0 ? 1 : size;
    const first = new Int32Array(groupCount).fill(-1);
    numbers.forEach((group, row) => {
      if (first[group]! < 0) first[group] = row;
    });
    const made = into.map(asInto);
    const twice = made.find(
      ({ as }, i) => by.some((key) => sameName(key, as)) || made.findIndex((m) => sameName(m.as, as)) < i,
    );
    if (twice) throw new DataError(`the step pivot: two columns would be named ${twice.as}`);
    return tableOf(
      input.name,
      [
        ...keys.map((c) => pickRows(c, c.name, first)),
        ...made.map((one) => columnOf(input, one, names, values, numbers, groupCount)),
      ],
      { rowCount: groupCount },
    );
  },
  origin: ({ name: names, value, into }, name) =>
    into.some((one) => sameName(asInto(one).as, name)) ? { names: [names, value] } : undefined,
  quantities: ({ value, into }, before) =>
    before.has(value.toLowerCase()) ? into.map((one) => asInto(one).as) : [],
  rename: ({ by, name, value, into }, names) => {
    const isRenamed = by.some((key) => names.own(key) !== key);
    const argument = { by: by.map(names.own), name: names.own(name), value: names.own(value), into };
    return { argument, isRenamed };
  },
};

/** The values that rows of one name have, by their groups. */
function columnOf(
  input: TableData,
  { value: wanted, as }: Into,
  names: Column,
  values: Column,
  numbers: ArrayLike<number>,
  groupCount: number,
): Column {
  const isIt = columnValues(names).map((v) => v !== null && toText(v, names.type) === wanted);
  const groups = Int32Array.from({ length: input.rowCount }, (_, row) =>
    isIt[names.codes[row]!] ? numbers[row]! : -1,
  );
  const all = columnValues(values);
  const of = (row: number): Value => all[values.codes[row]!]!;
  if (isNumeric(values.type)) {
    const sums = aggregateGroups({
      aggregate: 'sum',
      distinct: false,
      groups,
      groupCount,
      arg: of,
      argType: values.type,
    });
    return columnOfValues(as, values.type, sums);
  }
  const found: Value[] = Array.from({ length: groupCount }, () => null);
  groups.forEach((group, row) => {
    const own = group < 0 ? null : of(row);
    if (own === null) return;
    if (found[group] !== null && found[group] !== own)
      throw new DataError(
        `the step pivot: ${wanted} has several values of ${values.name} for one row, ${toText(found[group]!, values.type)} and ${toText(own, values.type)}: add the columns that tell them apart to "by"`,
      );
    found[group] = own;
  });
  return columnOfValues(as, values.type, found);
}
