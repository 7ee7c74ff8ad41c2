import type { Column, TableData } from '@crease/core/columns';
import { columnOfCodes, columnOfNumbered, columnValues, SEGMENT_ROWS, tableOf } from '@crease/core/columns';
import type { Model, Table } from '@crease/core/model';
import type { ColumnSize, KnownColumn, Profile, ProfileDocument, SampledTable } from '@crease/core/storage';
import { columnBytes, profileModel, scaledProfile } from '@crease/core/storage';
import type { Value } from '@crease/core/values';
import type { Place } from './places.ts';
import type { ModelOnWarehouse } from './warehouse.ts';

/** Tables of up to so many rows are encoded as a whole, from larger ones as many are drawn. */
const MOST_ROWS = 200_000;
/** The sample is drawn in so many stretches of neighbouring rows: how rows lie decides what they weigh. */
const STRETCHES = 8;
/** Of a column with no more different values than these all are fetched, so that its dictionary is whole. */
const MOST_VALUES = 200_000;

/** What a model would weigh if it were held, with how it was found. */
export interface ProfileOnWarehouse {
  readonly profile: Profile;
  /** Tables of which a sample was encoded, and how far each column may be off. */
  readonly sampled: readonly SampledState[];
}

/**
 * What the tables of a database would weigh if they were held: small ones are encoded as they are, of large
 * ones a sample, with what is counted on all rows (rows, nulls, different values and, where there are not too
 * many, these values themselves).
 */
export async function profileOn(on: ModelOnWarehouse, most = MOST_ROWS): Promise<ProfileOnWarehouse> {
  await on.inOrder();
  const brought = new Map<string, TableData>();
  const sampled = new Map<string, SampledTable>();
  for (const table of on.model.tables) {
    const key = table.name.toLowerCase();
    const place = on.places.get(key);
    if (!place || table.role === 'staging') continue;
    const names = on.storedColumns(table);
    const known = hasPages(place) && (place.rows ?? 0) > 1.2 * most;
    const first = known ? undefined : await on.look.firstRowsOf(table.name, names, most + 1);
    if (first && first.rowCount <= most) {
      brought.set(key, first);
      continue;
    }
    const stretches = hasPages(place) ? await drawn(on, table, place, names, most) : [first!];
    const sample = await sampleOf(on, table, names, stretches);
    brought.set(key, sample.rows);
    sampled.set(key, sample.known);
  }
  const profile = profileModel(on.dataWith(brought));
  return { profile: scaledProfile(profile, on.model, sampled), sampled: statesOf(on.model, sampled) };
}

/** As a profile's document tells it. */
type SampledState = NonNullable<ProfileDocument['sampled']>[number];

const statesOf = (model: Model, sampled: ReadonlyMap<string, SampledTable>): SampledState[] =>
  model.tables.flatMap(({ name, columns }): SampledState[] => {
    const of = sampled.get(name.toLowerCase());
    if (!of) return [];
    const errors = columns.flatMap((c) => {
      const known = of.columns.get(c.name.toLowerCase());
      return known ? [[c.name, known.error] as const] : [];
    });
    return [{ table: name, rows: of.sampledRows, errors: Object.fromEntries(errors) }];
  });

/** Whether a stretch of pages can be read: of views, and of tables in partitions, it cannot. */
const hasPages = ({ kind, pages, rows }: Place): boolean =>
  kind === 'r' && pages >= STRETCHES * 2 && rows !== null && rows > 0;

/** Stretches of neighbouring rows, evenly spread. */
async function drawn(
  on: ModelOnWarehouse,
  table: Table,
  place: Place,
  names: readonly string[],
  most: number,
): Promise<TableData[]> {
  const pages = Math.max(1, Math.ceil((place.pages * most) / STRETCHES / place.rows!));
  const found: TableData[] = [];
  for (let i = 0; i < STRETCHES; i++) {
    const from = Math.floor((i * Math.max(0, place.pages - pages)) / (STRETCHES - 1));
    const look = on.lookAt({ from, to: from + pages });
    const stretch = await look.firstRowsOf(table.name, names, most);
    if (stretch.rowCount > 0) found.push(stretch);
  }
  return found.length > 0 ? found : [await on.look.firstRowsOf(table.name, names, most)];
}

async function sampleOf(
  on: ModelOnWarehouse,
  table: Table,
  names: readonly string[],
  stretches: readonly TableData[],
): Promise<{ rows: TableData; known: SampledTable }> {
  const columns: Column[] = [];
  const known = new Map<string, KnownColumn>();
  const sampledRows = stretches.reduce((n, s) => n + s.rowCount, 0);
  let all = sampledRows;
  for (const name of names) {
    const parts = stretches.map((s) => s.columns.get(name.toLowerCase())!);
    const { rows, nulls, distinct } = await on.look.fill(table.name, name);
    all = rows;
    const values =
      distinct <= MOST_VALUES ? await on.look.allValues(table.name, name, MOST_VALUES) : undefined;
    const column = joined(name, parts, values ?? [], rows);
    columns.push(column);
    const weight = weightOf(parts, (some) => columnBytes(joined(name, some, values ?? [], rows)), rows);
    known.set(name.toLowerCase(), {
      distinct,
      nulls,
      hasAllValues: values !== undefined,
      sampled: column.distinct,
      ...weight,
    });
  }
  return {
    rows: tableOf(table.name, columns, { rowCount: sampledRows }),
    known: { rows: all, sampledRows, columns: known },
  };
}

/** Columns of stretches as one, over a dictionary that has all `values` besides. */
function joined(name: string, parts: readonly Column[], values: readonly Value[], rows: number): Column {
  const numberOf = new Map<Value, number>();
  const distinct: Value[] = [];
  const take = (value: Value): number => {
    if (value === null) return 0;
    let number = numberOf.get(value);
    if (number === undefined) {
      distinct.push(value);
      numberOf.set(value, (number = distinct.length));
    }
    return number;
  };
  const numbers = new Uint32Array(parts.reduce((n, part) => n + part.rowCount, 0));
  let at = 0;
  for (const part of parts) {
    const byCode = columnValues(part).map(take);
    for (let row = 0; row < part.rowCount; row++) numbers[at++] = byCode[part.codes[row]!]!;
  }
  for (const value of values) take(value);
  return columnOfNumbered(name, parts[0]!.type, numbers, distinct, rows);
}

/** Ways to hold codes that go by their neighbours alone. */
const LOCAL = /\+(runs|delta|blocks|constant)$/;

/**
 * What codes of so many `rows` take, worked out from stretches of them in two ways: all as one segment, whose
 * values are those of all rows, but jump from stretch to stretch; and each by itself, as it lies. Of either
 * the half is encoded, too, so that what a segment takes whatever its rows is told from what a row takes.
 */
function weightOf(
  parts: readonly Column[],
  sizeOf: (parts: readonly Column[]) => ColumnSize,
  rows: number,
): Pick<KnownColumn, 'dataBytes' | 'encoding' | 'error'> {
  const rowsOf = (some: readonly Column[]) => some.reduce((n, part) => n + part.rowCount, 0);
  const line = (some: readonly Column[], half: readonly Column[]) => {
    const [whole, less] = [sizeOf(some), sizeOf(half)];
    const perRow = Math.max(0, (whole.dataBytes - less.dataBytes) / Math.max(1, rowsOf(some) - rowsOf(half)));
    return { perRow, head: Math.max(0, whole.dataBytes - perRow * rowsOf(some)), encoding: whole.encoding };
  };
  const segments = Math.ceil(rows / SEGMENT_ROWS);
  const together = line(parts, parts.slice(0, Math.ceil(parts.length / 2)));
  const apart = parts.map((part) => line([part], [firstHalf(part)]));
  const mean = (of: (l: (typeof apart)[number]) => number) =>
    apart.reduce((n, one) => n + of(one), 0) / apart.length;
  const bytes = (head: number, perRow: number) => Math.round(head * segments + perRow * rows);
  const [asOne, asTheyLie] = [
    bytes(together.head, together.perRow),
    bytes(
      mean((l) => l.head),
      mean((l) => l.perRow),
    ),
  ];
  const error = errorOf(parts.map((part) => sizeOf([part]).dataBytes / part.rowCount));
  const isLocal = apart.every((l) => LOCAL.test(l.encoding));
  return isLocal && asTheyLie < asOne
    ? { dataBytes: asTheyLie, encoding: apart[0]!.encoding, error }
    : { dataBytes: asOne, encoding: together.encoding, error };
}

function firstHalf(column: Column): Column {
  const codes = column.codes.slice(0, Math.ceil(column.rowCount / 2));
  return columnOfCodes(column.name, column.type, column.domain, codes);
}

/** Two standard errors of a mean, as a share of it; of one stretch nothing is known. */
function errorOf(perRow: readonly number[]): number {
  const mean = perRow.reduce((n, x) => n + x, 0) / perRow.length;
  if (perRow.length < 2 || mean === 0) return perRow.length < 2 ? 1 : 0;
  const variance = perRow.reduce((n, x) => n + (x - mean) ** 2, 0) / (perRow.length - 1);
  return (2 * Math.sqrt(variance / perRow.length)) / mean;
}
