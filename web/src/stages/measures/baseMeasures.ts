import type { Edit } from '@crease/core/edit';
import { columnPath, quoteName, quotePath } from '@crease/core/formula';
import type { Measure, Model, ModelColumn, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { isNumeric } from '../../parts/format.ts';

// Measures of the quantities of facts, made of columns in one step.

export const BASE_AGGREGATES = {
  sum: 'Total',
  avg: 'Average',
  min: 'Least',
  max: 'Greatest',
  median: 'Median',
} as const;
export type BaseAggregate = keyof typeof BASE_AGGREGATES;

export interface Quantity {
  readonly table: Table;
  readonly column: ModelColumn;
  readonly path: string;
}

/** Numbers that base measures can be made of: of facts and bridges, but for keys and references. */
export const quantitiesOf = (model: Model): Quantity[] =>
  model.tables
    .filter((t) => t.role === 'fact' || t.role === 'bridge')
    .flatMap((table) =>
      table.columns
        .filter(
          (c) =>
            isNumeric(c.type) &&
            c.use !== 'key' &&
            c.use !== 'reference' &&
            !(table.key ?? []).some((k) => sameName(k, c.name)) &&
            !(model.relationships ?? []).some(
              (r) => sameName(r.from.table, table.name) && r.from.columns.some((f) => sameName(f, c.name)),
            ),
        )
        .map((column) => ({ table, column, path: columnPath(table.name, column.name) })),
    );

export interface BaseChoice {
  readonly quantities: readonly Quantity[];
  readonly aggregates: readonly BaseAggregate[];
  /** Also how many rows each of the tables has. */
  readonly countsRows: boolean;
  /** With `{aggregate}`, `{column}` and `{table}`. */
  readonly pattern: string;
  readonly folder: string;
  readonly hidesColumns: boolean;
}

/** A measure to be made; `wanted` is its name where that was used already. */
export interface BaseMeasure {
  readonly measure: Measure;
  readonly wanted?: string;
}

const words = (name: string): string => name.replaceAll('_', ' ');
const columnText = ({ name, title }: ModelColumn): string => title ?? words(name);

/** The measures that a choice makes. A name that is used already gets its table's, then a number. */
export function baseMeasuresOf(model: Model, choice: BaseChoice): BaseMeasure[] {
  const taken = new Set(
    [...(model.measures ?? []).map((m) => m.name), ...model.tables.map((t) => t.name)].map((n) =>
      n.toLowerCase(),
    ),
  );
  const named = (wanted: string, table: string): string => {
    const of = `${wanted} of ${words(table)}`;
    let name = taken.has(wanted.toLowerCase()) ? of : wanted;
    for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${of} ${n}`;
    taken.add(name.toLowerCase());
    return name;
  };
  const common = choice.folder === '' ? {} : { folder: choice.folder };
  const made = choice.quantities.flatMap(({ table, column }) =>
    choice.aggregates.map((aggregate): BaseMeasure => {
      const wanted = choice.pattern
        .replaceAll('{aggregate}', BASE_AGGREGATES[aggregate])
        .replaceAll('{column}', columnText(column))
        .replaceAll('{table}', words(table.name))
        .trim();
      const name = named(wanted === '' ? columnText(column) : wanted, table.name);
      const measure: Measure = {
        name,
        table: table.name,
        formula: `${aggregate}(${quotePath(table.name, column.name)})`,
        format: column.format ?? formatOf(column, aggregate),
        ...common,
      };
      return name === wanted ? { measure } : { measure, wanted };
    }),
  );
  if (!choice.countsRows) return made;
  const tables = [...new Set(choice.quantities.map(({ table }) => table))];
  const counts = tables.map((table): BaseMeasure => {
    const wanted = `Rows of ${words(table.name)}`;
    const name = named(wanted, table.name);
    const formula = `count(${quoteName(table.name)})`;
    const measure: Measure = {
      name,
      table: table.name,
      formula,
      format: { decimals: 0, thousands: true },
      ...common,
    };
    return name === wanted ? { measure } : { measure, wanted };
  });
  return [...made, ...counts];
}

/** Averages get two decimals more than an integer has; other values keep those of their column. */
function formatOf({ type }: ModelColumn, aggregate: BaseAggregate): NonNullable<Measure['format']> {
  const scale = Number(/^decimal\(\d+,(\d+)\)/.exec(type)?.[1] ?? (type === 'double' ? 2 : 0));
  const isMean = aggregate === 'avg' || aggregate === 'median';
  return { decimals: Math.min(9, isMean ? Math.max(2, scale) : scale), thousands: true };
}

/** The edit that makes them, and hides the columns that they are made of. */
export const editOfBase = (made: readonly BaseMeasure[], choice: BaseChoice): Edit => [
  ...made.map(({ measure }): Edit[number] => ({ do: 'put-measures', name: null, value: measure })),
  ...(choice.hidesColumns
    ? choice.quantities
        .filter(({ column }) => !column.hidden)
        .map(({ table, column }): Edit[number] => ({
          do: 'set-column',
          table: table.name,
          column: column.name,
          change: { hidden: true },
        }))
    : []),
];
