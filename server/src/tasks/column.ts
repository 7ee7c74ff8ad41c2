import type { Misfits } from '@crease/core/columns';
import type { ColumnTask } from '../intake/encodeColumn.ts';
import { encodeColumn } from '../intake/encodeColumn.ts';
import { Tables } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { connection } from './modelRows.ts';

interface Input {
  readonly task: ColumnTask;
  readonly into: { readonly workspace: string; readonly tableId: number; readonly ordinal: number };
}

/** Encodes a column of a file whose pieces have been read, and writes it to a table that is being loaded. */
export const column = task(({ task: order, into }: Input): Misfits | undefined => {
  const { column: encoded, misfits } = encodeColumn(order);
  new Tables(connection(into.workspace)).addColumn(into.tableId, into.ordinal, encoded);
  return misfits;
});
