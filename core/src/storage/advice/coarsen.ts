import { columnByCode, columnValues } from '../../columns/index.ts';
import { moreSteps } from '../../edit/index.ts';
import { columnPath, functionNamed, quoteName } from '../../formula/index.ts';
import type { Model } from '../../model/index.ts';
import { sameName } from '../../model/index.ts';
import type { Value } from '../../values/index.ts';
import { totalBytes } from '../weight.ts';
import type { FoldOf } from './fold.ts';
import type { FoldKind, Found } from './site.ts';
import { placeOf } from './site.ts';

type Unit = FoldOf<'coarsen'>['unit'];

/** Units of which a column of a type may keep the first moment, the finest first. */
const UNITS: Readonly<Record<'date' | 'timestamp', readonly Unit[]>> = {
  date: ['month', 'quarter', 'year'],
  timestamp: ['minute', 'hour'],
};

/** Fewer values are few enough as they are. */
const LEAST_VALUES = 60;

/**
 * A day or moment that nothing goes by, kept as the first of its month, quarter or year, or of its minute or
 * hour. A moment that becomes a day is another fold (`split-moment`).
 */
export const coarsen: FoldKind<'coarsen'> = {
  does: 'coarsen',
  find: ({ data, table, declared, column, usedBy }) => {
    const { kind } = column.type;
    if ((kind !== 'date' && kind !== 'timestamp') || usedBy.length > 0) return [];
    if (column.distinct < LEAST_VALUES || isReferred(data.model, table.name, declared.name)) return [];
    const truncate = functionNamed('date_trunc')!;
    const own = { type: column.type, text: columnPath(table.name, declared.name) };
    const values = columnValues(column);
    const before = totalBytes(column);
    let finer = before;
    return UNITS[kind].flatMap((unit): Found[] => {
      const made = truncate.check([own, { type: null, constant: unit, text: unit }]);
      if (typeof made === 'string') return [];
      const first = (value: Value): Value => (value === null ? null : made.evaluate(value, unit));
      const after = totalBytes(
        columnByCode(declared.name, column, made.type, (code) => first(values[code]!)),
      );
      // A coarser unit is worth its loss only where it saves more than the finer one.
      if (after >= finer) return [];
      finer = after;
      return [
        {
          fold: { do: 'coarsen', table: table.name, column: declared.name, unit },
          change: `keep the ${unit} only, as its first ${kind === 'date' ? 'day' : 'moment'}`,
          reason: `if nobody asks for anything finer than the ${unit}`,
          beforeBytes: before,
          afterBytes: after,
        },
      ];
    });
  },
  edit: (model, fold) => {
    const place = placeOf(model, fold);
    if (!place) return undefined;
    const { table, column } = place;
    const formula = `date_trunc(${quoteName(column.name)}, ${fold.unit})`;
    return moreSteps(model, table, [{ derive: { name: column.name, formula } }], table.columns);
  },
};

/** Whether a relationship, a calendar or the parts of the table go by a column. */
function isReferred(model: Model, table: string, column: string): boolean {
  const ends = (model.relationships ?? []).flatMap((r) => [r.from, r.to]);
  const own = model.tables.find((t) => sameName(t.name, table));
  return (
    ends.some((end) => sameName(end.table, table) && end.columns.some((c) => sameName(c, column))) ||
    (model.calendars ?? []).some((c) => sameName(c.table, table)) ||
    (own?.partition !== undefined && sameName(own.partition.by, column)) ||
    [own?.validity?.from, own?.validity?.to].some((c) => c !== undefined && sameName(c, column))
  );
}
