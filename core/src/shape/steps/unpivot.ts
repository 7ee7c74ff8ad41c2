import type { DataType, Exact, Value } from '../../values/index.ts';
import {
  decimal,
  DOUBLE,
  formatType,
  INTEGER,
  isExact,
  isNumeric,
  rescale,
  scaleOf,
  TEXT,
  toDouble,
  wholeOf,
} from '../../values/index.ts';
import type { Column } from '../../columns/index.ts';
import { columnOfValues, columnValues, tableOf } from '../../columns/index.ts';
import { freeName, sameName } from '../../model/index.ts';
import { DataError } from '../../query/index.ts';
import type { Picked, StepKind } from '../step.ts';
import { few, pickedTexts, pickRows, renamedPicks, stepColumn } from '../step.ts';

const MOST_DIGITS = 38;

/**
 * `{ "unpivot": { "columns": ["loans", "visits"], "name": "measure", "value": "amount" } }`: the long form,
 * a row for each of some columns, with the column's name (or another, by `as`) and its value. Rows whose
 * value is null are left out, unless `"nulls"` is "keep".
 */
export const unpivot: StepKind<'unpivot'> = {
  verb: 'unpivot',
  says: 'Columns into rows: a column of their names and one of their values',
  empty: (columns) => ({
    columns: columns.filter((c) => /^(integer|decimal|double)/.test(c.type)).map((c) => c.name),
    name: freeName('measure', columns),
    value: freeName('value', columns),
  }),
  text: ({ columns, name, value }) => `${few(pickedTexts(columns))} as rows: ${name} and ${value}`,
  apply: (input, { columns, name, value, nulls }) => {
    if (columns.length === 0) throw new DataError('the step unpivot: choose at least one column');
    const picks = columns.map((c) => (typeof c === 'string' ? { column: c, as: c } : c));
    const from = picks.map(({ column }) => stepColumn(input, column, 'unpivot'));
    const rest = [...input.columns.values()].filter((c) => !from.includes(c));
    const taken = [name, value].find((made) => rest.some((c) => sameName(c.name, made)));
    if (taken !== undefined || sameName(name, value))
      throw new DataError(
        `the step unpivot: there is a column ${taken ?? name} already, choose another name`,
      );
    const type = typeOfAll(from);
    const rows: number[] = [];
    const [names, values]: [string[], Value[]] = [[], []];
    const converted = from.map((column) => columnValues(column).map((v) => as(v, column.type, type)));
    for (let row = 0; row < input.rowCount; row++)
      from.forEach((column, i) => {
        const own = converted[i]![column.codes[row]!]!;
        if (own === null && nulls !== 'keep') return;
        rows.push(row);
        names.push(picks[i]!.as);
        values.push(own);
      });
    return tableOf(
      input.name,
      [
        ...rest.map((c) => pickRows(c, c.name, rows)),
        columnOfValues(name, TEXT, names),
        columnOfValues(value, type, values),
      ],
      { rowCount: rows.length },
    );
  },
  origin: ({ columns, name: names, value }, name) => {
    if (sameName(name, names)) return { names: [] };
    return sameName(name, value) ? { names: columns.map(columnOf) } : undefined;
  },
  quantities: ({ columns, value }, before) =>
    columns.every((c) => before.has(columnOf(c).toLowerCase())) ? [value] : [],
  rename: (argument, names) => {
    // The names of columns are values afterwards: those stay what they were.
    const columns = renamedPicks(argument.columns, names.own);
    const isOne = columns.some((c, i) => columnOf(c) !== columnOf(argument.columns[i]!));
    return { argument: { ...argument, columns }, isRenamed: names.isRenamed && !isOne };
  },
};

const columnOf = (c: Picked): string => (typeof c === 'string' ? c : c.column);

/** The type that all values have together. Throws DataError where there is none. */
function typeOfAll(columns: readonly Column[]): DataType {
  const types = columns.map((c) => c.type);
  const [first] = types;
  if (types.every((type) => formatType(type) === formatType(first!))) return first!;
  if (types.every(isExact)) {
    const scale = Math.max(...types.map(scaleOf));
    const whole = Math.max(...types.map(wholeOf));
    return scale === 0 ? INTEGER : decimal(Math.min(MOST_DIGITS, whole + scale), scale);
  }
  if (types.every(isNumeric)) return DOUBLE;
  const other = columns.find((c) => c.type.kind !== first!.kind)!;
  throw new DataError(
    `the step unpivot: ${columns[0]!.name} is ${formatType(first!)} and ${other.name} is ${formatType(other.type)}; give them one type with derive first`,
  );
}

function as(value: Value, from: DataType, to: DataType): Value {
  if (value === null || formatType(from) === formatType(to)) return value;
  return isExact(to)
    ? rescale(value as Exact, scaleOf(from), scaleOf(to))
    : toDouble(value as Exact, scaleOf(from));
}
