import type { ColumnFacts } from '@crease/contract';
import { columnBytes } from '@crease/core/storage';
import type { ModelData } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import { toJson } from '@crease/core/values';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';
import { columnOrFault } from './modelRows.ts';

/**
 * What screens show of a table's columns: fill, distinct values, the most frequent ones, a distribution,
 * bytes.
 */
export const columns = task(async (input: { table: string } & ModelVersion): Promise<ColumnFacts[]> => {
  const facts: ColumnFacts[] = [];
  const { columns: all } = await onRows(input, (data) => data.modelTable(input.table));
  // Each by itself: of several together more groups would travel.
  for (const { name } of all)
    facts.push(await orFault(name, () => onRows(input, (data) => factsOf(data, input.table, name))));
  return facts;
});

async function orFault(name: string, facts: () => Promise<ColumnFacts>): Promise<ColumnFacts> {
  try {
    return await facts();
  } catch (error) {
    if (error instanceof DataError) return { name, fault: error.message };
    throw error;
  }
}

function factsOf(data: ModelData, table: string, name: string): ColumnFacts {
  const column = columnOrFault(data, table, name);
  if (typeof column === 'string') return { name, fault: column };
  const filled = [...column.counts.keys()].filter((code) => code > 0 && column.counts[code]! > 0);
  const top = [...filled].sort((a, b) => column.counts[b]! - column.counts[a]!).slice(0, 8);
  // A few of perhaps very many: the dictionary is not decoded for them.
  const ends = filled.length > 0 ? [filled[0]!, filled.at(-1)!] : [];
  const [least = null, greatest = null, ...frequent] = [
    ...(ends.length > 0 ? column.valuesOf([...ends, ...top]) : []),
  ].map((value) => toJson(value, column.type));
  const { dataBytes, dictionaryBytes, encoding } = columnBytes(column);
  return {
    name,
    rows: column.rowCount,
    nulls: column.nulls,
    distinct: column.distinct,
    encoding,
    bytes: dataBytes + dictionaryBytes,
    least,
    greatest,
    frequent: top.map((code, i) => ({
      value: frequent[i]!,
      rows: column.counts[code]!,
    })),
    distribution: distribution(column.counts),
  };
}

const CLASSES = 16;

/** Rows by stretches of the ordered values: of equal width in codes. */
function distribution(counts: Uint32Array): number[] {
  const size = counts.length - 1;
  const classes = new Array<number>(Math.min(CLASSES, Math.max(1, size))).fill(0);
  for (let code = 1; code <= size; code++)
    classes[Math.floor(((code - 1) * classes.length) / size)]! += counts[code]!;
  return classes;
}
