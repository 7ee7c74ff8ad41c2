import { sameName } from '@crease/core/model';
import type { ReleaseOrder, TableContents } from './contents.ts';
import { rowsOfPart } from './contents.ts';
import type { TableState } from './proof.ts';

// What targets that are databases have in common.

/** What is released, in words, as records have it. */
export function whatText({ definitionsOnly, parts }: ReleaseOrder): string {
  if (definitionsOnly) return 'definitions';
  return parts.length > 0 ? parts.map((p) => `${p.table}:${p.part}`).join(', ') : 'all';
}

/** What stands against the parts that are to be released, and what is to be said of them. */
export function checkParts(
  { parts }: ReleaseOrder,
  contents: readonly TableContents[],
): { readonly refusals: string[]; readonly notes: string[] } {
  const [refusals, notes]: [string[], string[]] = [[], []];
  for (const { table, part } of parts) {
    const own = contents.find((c) => sameName(c.table.name, table));
    if (!own) refusals.push(`the model has no table ${table} to release parts of`);
    else if (!own.table.partition) refusals.push(`${table} is not kept in parts`);
    else if (!rowsOfPart(own, part)) notes.push(`${table} has no rows in ${part}: there will be none of it`);
  }
  return { refusals, notes };
}

/** What somebody changed of a table's rows since they were recorded; undefined for nothing. */
export function rowsDrift(name: string, before: TableState, now: TableState): string | undefined {
  if (now.rows !== before.rows) return `${name} had ${before.rows} rows and has ${now.rows}`;
  const other = Object.keys(before.sums).find(
    (column) => column in now.sums && now.sums[column] !== before.sums[column],
  );
  return other === undefined
    ? undefined
    : `${name}.${other} added up to ${before.sums[other] ?? 'null'} and adds up to ${now.sums[other] ?? 'null'}`;
}
