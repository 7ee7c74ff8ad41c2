import type { Measure, MeasureItem, Model, Query, QueryFilter } from '@crease/core/model';
import { columnPath } from '@crease/core/formula';
import type { Told } from '../../../state/told.ts';
import type { Attribute } from '../attributes.ts';
import { itemText, measureText } from '../attributes.ts';
import type { Option } from './Picker.tsx';
import { calendarsOf, COMMON_PERIODS, periodFilter, periodText } from './periods.ts';

/** The aggregate of a column that is asked for without a measure; undefined where it has none. */
export function defaultAggregate(column: {
  aggregate?: string | undefined;
  use?: string | undefined;
}): string | undefined {
  const aggregate = column.aggregate ?? (column.use === 'quantity' ? 'sum' : 'none');
  return aggregate === 'none' ? undefined : aggregate;
}

/** The column that a measure is no more than the default aggregate of; by its path in lower case. */
function standIns(model: Model, measures: readonly Measure[]): Set<string> {
  const formulas = new Set(measures.map((m) => m.formula.replaceAll(/\s+/g, '').toLowerCase()));
  const covered = new Set<string>();
  for (const table of model.tables)
    for (const column of table.columns) {
      const path = columnPath(table.name, column.name).toLowerCase();
      const aggregate = defaultAggregate(column);
      if (aggregate !== undefined && formulas.has(`${aggregate}(${path})`)) covered.add(path);
    }
  return covered;
}

/**
 * Measures, and below them columns under their default aggregate: one that a measure stands for already is
 * not offered apart from it.
 */
export function measureOptions(
  model: Model,
  measures: readonly Measure[],
  query: Query,
  seesColumns: boolean,
): Option<MeasureItem>[] {
  const asked = new Set(query.measures.map(measureText));
  const covered = seesColumns ? standIns(model, measures) : new Set<string>();
  const columns = model.tables
    .filter((t) => seesColumns && t.role !== 'staging')
    .flatMap((t) =>
      t.columns.flatMap((c): Option<MeasureItem>[] => {
        const path = columnPath(t.name, c.name);
        const aggregate = defaultAggregate(c);
        return aggregate === undefined || covered.has(path.toLowerCase())
          ? []
          : [{ value: { column: path }, text: `${aggregate} ${path}`, group: 'column by its aggregate' }];
      }),
    );
  return [
    ...measures
      .filter((m) => !asked.has(m.name))
      .map((m): Option<MeasureItem> => ({
        value: m.name,
        text: m.name,
        group: m.folder ?? '',
        told: m,
      })),
    ...columns.filter((o) => !asked.has(measureText(o.value)) && !asked.has(o.text)),
  ];
}

export const attributeOptions = (
  attributes: readonly Attribute[],
  taken: Query['by'],
  model: Model,
  told: Told,
): Option<Attribute['item']>[] => {
  const known = new Set((taken ?? []).map((item) => itemText(item, model)));
  return attributes
    .filter((a) => !known.has(a.text))
    .map((a) => ({
      value: a.item,
      text: a.text,
      group: a.group,
      told: typeof a.item === 'string' ? told.column(a.item) : undefined,
    }));
};

/** Conditions that can be added: periods, formulas, the first members, and a choice of members. */
export function conditionOptions(
  attributes: readonly Attribute[],
  query: Query,
  model: Model,
  told: Told,
): Option<QueryFilter>[] {
  const calendars = calendarsOf(model);
  const mayTop = (query.by ?? []).length > 0 && !(query.filters ?? []).some((f) => 'top' in f);
  return [
    ...calendars.flatMap((calendar) =>
      [...COMMON_PERIODS, 'last 12 months'].map((period): Option<QueryFilter> => {
        const value = periodFilter(period, calendar);
        return { value, text: periodText(value), group: 'periods up to as-of' };
      }),
    ),
    { value: { where: 'true' }, text: 'custom condition …', group: '' },
    { value: { having: 'true' }, text: 'condition on measures …', group: '' },
    ...(mayTop
      ? query.measures.map((m): Option<QueryFilter> => ({
          value: { top: 10, of: measureText(m), others: true },
          text: `top 10 by ${measureText(m)}`,
          group: '',
        }))
      : []),
    ...attributes
      .filter((a) => typeof a.item === 'string')
      .map((a): Option<QueryFilter> => ({
        value: { column: a.text, in: [] },
        text: a.text,
        group: a.group,
        told: told.column(a.text),
      })),
  ];
}
