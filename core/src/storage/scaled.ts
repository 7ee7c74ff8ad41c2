import { SEGMENT_ROWS } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ColumnProfile, Profile, TableProfile } from './profile.ts';

/** What is known of a column on all rows of its table, beside a sample of them. */
export interface KnownColumn {
  readonly distinct: number;
  readonly nulls: number;
  /** Whether all values that occur are in the dictionary of the sample. */
  readonly hasAllValues: boolean;
  /** What the codes of all rows take, by the sample, and how most are held. */
  readonly dataBytes: number;
  readonly encoding: string;
  /** Different values in the sample. */
  readonly sampled: number;
  /** How far the bytes of a row differ between stretches of the sample: two standard errors, as a share. */
  readonly error: number;
}

/** A table of which a sample was encoded. */
export interface SampledTable {
  readonly rows: number;
  readonly sampledRows: number;
  /** By name, in lower case. */
  readonly columns: ReadonlyMap<string, KnownColumn>;
}

/**
 * The profile of whole tables from one of samples: codes weigh by their rows, dictionaries by their values.
 * Where a dictionary of the sample lacks values, codes of all would need log2(all / sampled) bits more.
 */
export function scaledProfile(
  profile: Profile,
  model: Model,
  sampled: ReadonlyMap<string, SampledTable>,
): Profile {
  const of = (name: string) => sampled.get(name.toLowerCase());
  const relationships = profile.relationships.map((r) => {
    const { from } = (model.relationships ?? []).find((own) => sameName(own.name, r.name))!;
    const table = of(from.table);
    if (!table) return r;
    const known = table.columns.get(from.columns[0]!.toLowerCase());
    const byRow = table.rows / table.sampledRows;
    // What one column refers by is held by value, what several refer by is held by row.
    const factor =
      from.columns.length > 1 ? byRow : known && !known.hasAllValues ? known.distinct / known.sampled : 1;
    return { ...r, fromDistinct: known?.distinct ?? r.fromDistinct, bytes: Math.round(r.bytes * factor) };
  });
  const before = new Map(profile.relationships.map((r, i) => [r.name, relationships[i]!.bytes - r.bytes]));
  const tables = profile.tables.map((t): TableProfile => {
    const added = (model.relationships ?? [])
      .filter((r) => sameName(r.from.table, t.name))
      .reduce((sum, r) => sum + (before.get(r.name) ?? 0), 0);
    return scaledTable(t, of(t.name), added);
  });
  const totalBytes = tables.reduce((sum, t) => sum + t.totalBytes, 0);
  const share = (bytes: number) => (totalBytes === 0 ? 0 : bytes / totalBytes);
  return {
    ...profile,
    relationships,
    tables: tables.map((t) => ({
      ...t,
      share: share(t.totalBytes),
      columns: t.columns.map((c) => ({ ...c, share: share(c.totalBytes) })),
    })),
    totalBytes,
  };
}

function scaledTable(t: TableProfile, known: SampledTable | undefined, addedBytes: number): TableProfile {
  const columns = known
    ? t.columns.map((c) => scaledColumn(c, known, known.columns.get(c.name.toLowerCase())))
    : t.columns;
  const sum = (bytes: (c: ColumnProfile) => number) => columns.reduce((n, c) => n + bytes(c), 0);
  const [dataBytes, dictionaryBytes] = [sum((c) => c.dataBytes), sum((c) => c.dictionaryBytes)];
  const relationshipBytes = t.relationshipBytes + addedBytes;
  const rows = known?.rows ?? t.rows;
  return {
    ...t,
    rows,
    segments: Math.ceil(rows / SEGMENT_ROWS),
    dataBytes,
    dictionaryBytes,
    relationshipBytes,
    totalBytes: dataBytes + dictionaryBytes + relationshipBytes + t.hierarchyBytes,
    columns,
  };
}

function scaledColumn(
  c: ColumnProfile,
  { rows, sampledRows }: SampledTable,
  known: KnownColumn | undefined,
): ColumnProfile {
  if (sampledRows === 0) return c;
  const factor = rows / sampledRows;
  const missing = known && !known.hasAllValues && known.sampled > 0 ? known.distinct / known.sampled : 1;
  const wider = c.encoding.endsWith('doubles') ? 0 : (rows * Math.log2(Math.max(1, missing))) / 8;
  const scaled = (bytes: number) => Math.round(bytes * factor + wider);
  const dataBytes = known ? Math.round(known.dataBytes + wider) : scaled(c.dataBytes);
  const dictionaryBytes = Math.round(c.dictionaryBytes * missing);
  return {
    ...c,
    encoding: known?.encoding ?? c.encoding,
    distinct: known?.distinct ?? c.distinct,
    nulls: known?.nulls ?? c.nulls,
    runs: Math.round(c.runs * factor),
    dataBytes,
    dictionaryBytes,
    totalBytes: dataBytes + dictionaryBytes,
    held: c.held.map((h) => ({ ...h, bytes: scaled(h.bytes) })),
    alternatives: c.alternatives.map((a) => ({ ...a, bytes: scaled(a.bytes) })),
    valueBits: c.valueBits + Math.log2(Math.max(1, missing)),
  };
}
