import type { Column, TableData } from '@crease/core/columns';
import { columnOfNumbered, columnValues, tableOf } from '@crease/core/columns';
import type { Table } from '@crease/core/model';
import type { KnownColumn, Profile, SampledTable } from '@crease/core/storage';
import { columnBytes, profileModel, scaledProfile } from '@crease/core/storage';
import type { Value } from '@crease/core/values';
import type { Place } from './places.ts';
import type { ModelOnWarehouse } from './warehouse.ts';

/** Tables of up to so many rows are encoded as a whole, from larger ones as many are drawn. */
const MOST_ROWS = 200_000;
/** The sample is drawn in so many stretches of neighbouring rows: how rows lie decides what they weigh. */
const STRETCHES = 4;
/** Of a column with no more different values than these all are fetched, so that its dictionary is whole. */
const MOST_VALUES = 200_000;

/** What a model would weigh if it were held, with how it was found. */
export interface ProfileOnWarehouse {
  readonly profile: Profile;
  /** Tables of which a sample was encoded, by name in lower case. */
  readonly sampled: ReadonlyMap<string, SampledTable>;
}

/**
 * What the tables of a database would weigh if they were held: small ones are encoded as they are, of large
 * ones a sample, with what is counted on all rows (rows, nulls, different values and, where there are not too
 * many, these values themselves).
 */
export async function profileOn(on: ModelOnWarehouse): Promise<ProfileOnWarehouse> {
  const brought = new Map<string, TableData>();
  const sampled = new Map<string, SampledTable>();
  for (const table of on.model.tables) {
    const key = table.name.toLowerCase();
    const place = on.places.get(key);
    if (!place || table.role === 'staging') continue;
    const names = on.storedColumns(table);
    const whole = await on.look.firstRowsOf(table.name, names, MOST_ROWS + 1);
    if (whole.rowCount <= MOST_ROWS) {
      brought.set(key, whole);
      continue;
    }
    const stretches = await drawn(on, table, place, names, whole);
    const { rows, known } = await sampleOf(on, table, names, stretches);
    brought.set(key, rows);
    sampled.set(key, known);
  }
  const profile = profileModel(on.dataWith(brought));
  return { profile: scaledProfile(profile, on.model, sampled), sampled };
}

/** Stretches of neighbouring rows, evenly spread; of what has no pages the first rows. */
async function drawn(
  on: ModelOnWarehouse,
  table: Table,
  place: Place,
  names: readonly string[],
  first: TableData,
): Promise<TableData[]> {
  const rows = place.rows ?? 0;
  if (place.kind !== 'r' || rows === 0 || place.pages < STRETCHES * 2) return [first];
  const pages = Math.max(1, Math.ceil((place.pages * MOST_ROWS) / STRETCHES / rows));
  const found: TableData[] = [];
  for (let i = 0; i < STRETCHES; i++) {
    const from = Math.floor((i * Math.max(0, place.pages - pages)) / (STRETCHES - 1));
    const look = on.lookAt({ from, to: from + pages });
    const stretch = await look.firstRowsOf(table.name, names, MOST_ROWS);
    if (stretch.rowCount > 0) found.push(stretch);
  }
  return found.length > 0 ? found : [first];
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
    known.set(name.toLowerCase(), {
      distinct,
      nulls,
      hasAllValues: values !== undefined,
      sampled: column.distinct,
      error: errorOf(
        parts.map((part) => columnBytes(joined(name, [part], values ?? [], rows)).dataBytes / part.rowCount),
      ),
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

/** Two standard errors of a mean, as a share of it; of one stretch nothing is known. */
function errorOf(perRow: readonly number[]): number {
  const mean = perRow.reduce((n, x) => n + x, 0) / perRow.length;
  if (perRow.length < 2 || mean === 0) return perRow.length < 2 ? 1 : 0;
  const variance = perRow.reduce((n, x) => n + (x - mean) ** 2, 0) / (perRow.length - 1);
  return (2 * Math.sqrt(variance / perRow.length)) / mean;
}
