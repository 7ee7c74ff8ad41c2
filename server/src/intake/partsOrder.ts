import { partitionFault, partNamed } from '@crease/core/load';
import type { Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { parseType, TEXT } from '@crease/core/values';
import { ServerError } from '../errors.ts';
import type { Target } from './loadTable.ts';
import type { PendingTable } from './registerTables.ts';

/** How rows come into a table that is kept in parts. Throws where what is asked is none of such a table. */
export function partsOrder(
  { name, partition, columns }: Table,
  order: Pick<PendingTable['order'], 'mode' | 'part' | 'parts'>,
): Target['parts'] {
  const { mode, part, parts: only } = order;
  const by = partition && columns.find((c) => sameName(c.name, partition.by));
  if (!partition || by?.formula !== undefined) {
    if (mode !== 'parts' && only === undefined) return undefined;
    throw new ServerError(
      'cannot-answer',
      `${name} is not kept in parts: say on Storage by which column it is, or load all of its rows`,
    );
  }
  if (part !== undefined)
    throw new ServerError(
      'cannot-answer',
      `${name} is kept in parts by ${partition.by}: its rows find their parts themselves, name none`,
    );
  const fault = by && partitionFault(parseType(by.type) ?? TEXT, partition.every);
  if (fault !== undefined)
    throw new ServerError(
      'cannot-answer',
      `${name} cannot be kept in ${fault}, and ${by!.name} is ${by!.type}`,
    );
  const chosen = only?.map((text) => partNamed(name, text));
  return {
    partition,
    mode: mode === 'add' ? 'add' : mode === 'replace' && !chosen ? 'all' : 'parts',
    only: chosen,
  };
}
