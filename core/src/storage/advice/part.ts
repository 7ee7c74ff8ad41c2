import type { Column, TableData } from '../../columns/index.ts';
import { changedColumn, columnCutter, tableOf } from '../../columns/index.ts';
import { partedRows } from '../../load/index.ts';
import type { Model, Partition, Table } from '../../model/index.ts';
import { sameName } from '../../model/index.ts';
import { numberText } from '../../values/index.ts';
import { WORTH } from '../rowOrder.ts';
import { columnBytes, totalBytes } from '../weight.ts';
import type { Found, FoldKind, Site } from './site.ts';
import { placeOf } from './site.ts';

/** Smaller tables are loaded again as quickly as a part of them. */
const LEAST_ROWS = 50_000;
/** A part of fewer rows on average is not worth its own dictionaries. */
const LEAST_PART_ROWS = 10_000;
/** The shortest first. */
const PERIODS = ['month', 'quarter', 'year'] as const;

/** Rows of a fact in parts by the periods of its day, or in other parts than now: found by table. */
export const part: FoldKind<'part'> = {
  does: 'part',
  find(site) {
    const { table, declared, column } = site;
    const isOne = table.role === 'fact' && column.rowCount >= LEAST_ROWS && dayOf(site) === declared.name;
    if (!isOne) return [];
    const every = PERIODS.find((period) => isWorth(partedRows(column, period)));
    const now = table.partition;
    if (every === undefined || (now && sameName(now.by, declared.name) && now.every === every)) return [];
    return measured(site, every);
  },
  edit(model, { every, ...fold }) {
    const place = placeOf(model, fold);
    if (!place) return undefined;
    return [
      { do: 'set-table', table: place.table.name, change: { partition: { by: place.column.name, every } } },
    ];
  },
};

/**
 * The column that a fact goes by: that of its parts, else the first that refers to a calendar, else the first
 * day.
 */
function dayOf({ table, data }: Site): string | undefined {
  const days = table.columns.filter((c) => c.formula === undefined && /^(date|timestamp)/.test(c.type));
  const { partition } = table;
  if (partition) return days.find((c) => sameName(c.name, partition.by))?.name;
  return (days.find((c) => refersToCalendar(data.model, table, c.name)) ?? days[0])?.name;
}

const refersToCalendar = (model: Model, table: Table, column: string): boolean =>
  (model.relationships ?? []).some(
    ({ from, to }) =>
      sameName(from.table, table.name) &&
      from.columns.length === 1 &&
      sameName(from.columns[0]!, column) &&
      (model.calendars ?? []).some((calendar) => sameName(calendar.table, to.table)),
  );

const isWorth = (parts: readonly { readonly rows: ArrayLike<number> }[]): boolean =>
  parts.length > 1 && parts.reduce((sum, { rows }) => sum + rows.length, 0) >= LEAST_PART_ROWS * parts.length;

function measured({ data, table, declared, column }: Site, every: (typeof PERIODS)[number]): Found[] {
  const stored = table.columns.filter((c) => c.formula === undefined);
  const rows = tableOf(
    table.name,
    stored.map((c) => data.column(table.name, c.name)),
  );
  const bytes = ({ columns }: TableData) => [...columns.values()].reduce((sum, c) => sum + totalBytes(c), 0);
  const parts = partedRows(column, every).length;
  const [beforeBytes, afterBytes] = [bytes(rows), bytes(partedAs(rows, { by: declared.name, every }))];
  // Where there are parts already, a load leaves most rows as they are: others have to save bytes.
  if (table.partition && afterBytes > beforeBytes * (1 - WORTH)) return [];
  const size = numberText(Math.round(column.rowCount / parts));
  return [
    {
      fold: { do: 'part', table: table.name, column: declared.name, every },
      change: `keep the rows in parts by ${every}`,
      reason: `a load then replaces the parts that its rows are in and leaves the others: ${parts} parts of some ${size} rows; the bytes are of all columns of ${table.name}, each part with its own dictionaries`,
      beforeBytes,
      afterBytes,
    },
  ];
}

/** The same rows, held in parts: each part has its own dictionaries and segments. */
export function partedAs(rows: TableData, { by, every }: Pick<Partition, 'by' | 'every'>): TableData {
  const day = rows.columns.get(by.toLowerCase());
  if (!day) return rows;
  const parts = partedRows(day, every);
  const columns = new Map([...rows.columns].map(([name, column]) => [name, inParts(column, parts)]));
  return { ...rows, columns };
}

function inParts(column: Column, parts: readonly { readonly rows: Uint32Array }[]): Column {
  const cut = columnCutter(column);
  const sizes = parts.map(({ rows }) => columnBytes(cut(rows)));
  return changedColumn(column, {
    held: {
      // Of segments of one kind the first has the bytes of all: what counts is their sum.
      segments: sizes.flatMap(({ held }) =>
        held.flatMap(({ encoding, segments, bytes }) =>
          Array.from({ length: segments }, (_, i) => ({ encoding, bytes: i === 0 ? bytes : 0 })),
        ),
      ),
      dictionaryBytes: sizes.reduce((sum, s) => sum + s.dictionaryBytes, 0),
      isRange: sizes.every((s) => s.encoding.startsWith('integers')),
      storedBytes: sizes.reduce((sum, s) => sum + s.dataBytes + s.dictionaryBytes, 0),
    },
  });
}
