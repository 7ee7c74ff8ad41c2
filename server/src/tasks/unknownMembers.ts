import type { Outgoing, Unknown } from '../intake/unknownMembers.ts';
import { unknownOf } from '../intake/unknownMembers.ts';
import { Tables } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { connection } from './modelRows.ts';

/** Members that rows which are not visible yet refer to, and that their dimensions do not have. */
export const unknownMembers = task(
  (input: {
    workspace: string;
    tableId: number;
    table: string;
    references: readonly Outgoing[];
  }): Unknown[] => {
    const tables = new Tables(connection(input.workspace));
    return unknownOf(tables, tables.read(String(input.tableId), input.table), input.references);
  },
);
