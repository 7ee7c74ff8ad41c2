import type { DataType } from '../../values/index.ts';
import { decimal, DOUBLE, INTEGER } from '../../values/index.ts';
import type { Column, TableData } from '../../columns/index.ts';
import { columnOfValues, combinations, tableOf } from '../../columns/index.ts';
import type { AggregateName } from '../../formula/index.ts';
import { namesIn, parseFormula } from '../../formula/index.ts';
import { sameName } from '../../model/index.ts';
import { aggregateGroups, DataError } from '../../query/index.ts';
import type { StepKind, StepSetting } from '../step.ts';
import { few, pickRows, stepColumn, stepFormula } from '../step.ts';

const isNumericText = (type: string): boolean => /^(integer|decimal|double)/.test(type);

/**
 * `{ "aggregate": { "by": ["branch"], "columns": { "copies": "sum(copies)", "rows": "count(desk_log)" } } }`:
 * one row for each combination.
 */
export const aggregate: StepKind<'aggregate'> = {
  verb: 'aggregate',
  says: 'One row for each combination of some columns: a coarser grain',
  empty: (columns) => ({
    by: columns
      .filter((c) => !isNumericText(c.type))
      .slice(0, 2)
      .map((c) => c.name),
    columns: {},
  }),
  text: ({ by, columns }) => {
    const made = Object.entries(columns).map(([name, formula]) => `${name} = ${formula}`);
    return `${by.length === 0 ? 'one row' : `one row per ${few(by)}`}${made.length > 0 ? `: ${few(made, 3)}` : ''}`;
  },
  apply: (input, { by, columns }, setting) => {
    const keys = by.map((name) => stepColumn(input, name, 'aggregate'));
    const { numbers: groups, size } = combinations(keys, input.rowCount);
    const groupCount = keys.length === 0 ? 1 : size;
    const first = new Int32Array(groupCount).fill(-1);
    groups.forEach((group, row) => {
      if (first[group]! < 0) first[group] = row;
    });
    const made = Object.entries(columns).map(([name, formula]) =>
      aggregated(input, name, formula, groups, groupCount, setting),
    );
    return tableOf(input.name, [...keys.map((c) => pickRows(c, c.name, first)), ...made], {
      rowCount: groupCount,
    });
  },
  origin: ({ columns }, name) => {
    const made = Object.entries(columns).find(([as]) => sameName(as, name));
    return made && { names: namesIn(made[1]), by: made[1] };
  },
  quantities: ({ columns }) => Object.keys(columns),
  rename: ({ by, columns }, names) => {
    const isRenamed = by.some((name) => names.own(name) !== name);
    // What is made in place of a column of the grain goes on standing for it.
    const made = (name: string) => (isRenamed ? names.own(name) : name);
    return {
      argument: {
        by: by.map(names.own),
        columns: Object.fromEntries(
          Object.entries(columns).map(([name, formula]) => [made(name), names.formula(formula)]),
        ),
      },
      isRenamed,
    };
  },
};

function aggregated(
  input: TableData,
  name: string,
  formula: string,
  groups: Int32Array,
  groupCount: number,
  setting: StepSetting,
): Column {
  const { tree, faults } = parseFormula(formula);
  if (faults.length > 0 || tree.kind !== 'aggregate' || tree.from || tree.per || tree.filter)
    throw new DataError(
      `the step aggregate: ${formula} is no plain aggregate${faults[0] ? ` (${faults[0].message})` : ''}`,
    );
  const kind = tree.name.text.toLowerCase() as AggregateName;
  const argText = formula.slice(tree.arg.start, tree.arg.end);
  const countsRows =
    kind === 'count' &&
    tree.arg.kind === 'name' &&
    !input.columns.has(argText.replaceAll('"', '').toLowerCase());
  const arg = countsRows ? undefined : stepFormula(input, argText, setting);
  const by = tree.by
    ? stepFormula(input, formula.slice(tree.by.start, tree.by.end), setting).evaluate
    : undefined;
  const values = aggregateGroups({
    aggregate: kind,
    distinct: tree.distinct,
    groups,
    groupCount,
    ...(arg ? { arg: arg.evaluate, argType: arg.type } : {}),
    ...(by ? { by } : {}),
  });
  return columnOfValues(name, resultType(kind, arg?.type), values);
}

function resultType(kind: AggregateName, arg: DataType | undefined): DataType {
  if (kind === 'count' || !arg) return INTEGER;
  if (['min', 'max', 'latest', 'earliest', 'only'].includes(kind)) return arg;
  return kind === 'sum' ? (arg.kind === 'decimal' ? decimal(38, arg.scale) : arg) : DOUBLE;
}
