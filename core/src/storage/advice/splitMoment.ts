import type { Column } from '../../columns/index.ts';
import { columnByCode } from '../../columns/index.ts';
import { moreSteps } from '../../edit/index.ts';
import { quoteName } from '../../formula/index.ts';
import type { ModelColumn } from '../../model/index.ts';
import { freeName, sameName, stepsOf } from '../../model/index.ts';
import { DATE, INTEGER } from '../../values/index.ts';
import { totalBytes } from '../weight.ts';
import type { Moments } from './moments.ts';
import { momentsOf, momentsOfTimestamps } from './moments.ts';
import type { FoldKind, Found, Site } from './site.ts';
import { placeOf } from './site.ts';

/** A moment as its day, and the second of the day beside it; also where the moments lie there as texts. */
export const splitMoment: FoldKind<'split-moment'> = {
  does: 'split-moment',
  find: (site) => {
    const { column } = site;
    if (column.type.kind === 'timestamp') return foundOf(site, momentsOfTimestamps(column), undefined);
    // Steps of a derived table read the texts as they are, without a pattern.
    if (column.type.kind !== 'text' || stepsOf(site.table).length > 0) return [];
    const moments = momentsOf(column);
    return moments ? foundOf(site, moments, moments.pattern) : [];
  },
  edit: (model, fold) => {
    const place = placeOf(model, fold);
    if (!place) return undefined;
    const { table, column } = place;
    const { name } = column;
    const second = freeName(`${name}_second`, table.columns);
    const time: ModelColumn = {
      name: second,
      type: 'integer',
      description: `Second of the day of ${name}`,
    };
    const own = quoteName(name);
    const seconds = `extract(hour from ${own}) * 3600 + extract(minute from ${own}) * 60 + extract(second from ${own})`;
    const steps = [
      ...(fold.time ? [{ derive: { name: second, formula: `cast(${seconds} as integer)` } }] : []),
      { derive: { name, formula: `cast(${own} as date)` } },
    ];
    const { pattern: _, length: __, ...rest } = column;
    const day: ModelColumn = { ...rest, type: 'date' };
    const columns = table.columns.flatMap((c) =>
      sameName(c.name, name) ? (fold.time ? [day, time] : [day]) : [c],
    );
    const read = (c: ModelColumn): ModelColumn =>
      fold.pattern !== undefined && sameName(c.name, name)
        ? { ...c, type: 'timestamp', pattern: fold.pattern }
        : c;
    return moreSteps(model, table, steps, columns, read);
  },
};

function foundOf({ table, declared, column }: Site, moments: Moments, pattern: string | undefined): Found[] {
  const of = (part: (code: number) => number, type: Column['type']) =>
    totalBytes(columnByCode('part', column, type, (code) => (code === 0 ? null : part(code))));
  const days = of((code) => moments.days[code]!, DATE);
  const seconds = of((code) => Math.floor(moments.micros[code]! / 1_000_000), INTEGER);
  const first = pattern === undefined ? '' : `declare it as a timestamp written ${pattern}, and `;
  const fold = (time: boolean): Found['fold'] => ({
    do: 'split-moment',
    table: table.name,
    column: declared.name,
    ...(pattern === undefined ? {} : { pattern }),
    time,
  });
  const beforeBytes = totalBytes(column);
  return [
    {
      fold: fold(true),
      change: `${first}split date and time`,
      reason: 'a moment to the second is nearly unique; its day and its time of day are not',
      beforeBytes,
      afterBytes: days + seconds,
    },
    {
      fold: fold(false),
      change: `${first}keep the day only`,
      reason: 'if nobody asks for the time of day',
      beforeBytes,
      afterBytes: days,
    },
  ];
}
