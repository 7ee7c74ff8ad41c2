import type { PartsState } from '@crease/contract';
import { calledNow } from '@crease/core/columns';
import type { Table } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import { valueOfCode } from '@crease/core/columns';
import { toText } from '@crease/core/values';
import type { FinalizedParts, PartsOrder } from '../intake/finalizeParts.ts';
import { splitRows } from '../intake/splitRows.ts';
import type { ModelVersion } from '../store/index.ts';
import { Tables } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { connection } from './modelRows.ts';

interface PartsInput extends ModelVersion {
  readonly table: string;
  readonly parts: readonly { readonly id: number; readonly name: string }[];
}

/** From which value to which the rows of each part go, by its id. */
export const partSpans = task((input: PartsInput) => {
  const table = readModel(input.document).tables.find((t) => t.name === input.table);
  const tables = new Tables(connection(input.workspace));
  return Object.fromEntries(
    input.parts.map(({ id, name }) => [id, table ? spanOf(tables, id, name, table) : NOTHING]),
  );
});

type Span = Pick<PartsState['parts'][number], 'first' | 'last'>;
const NOTHING: Span = { first: null, last: null };

function spanOf(tables: Tables, id: number, name: string, table: Table): Span {
  const { by } = table.partition ?? {};
  if (by === undefined) return NOTHING;
  const rows = calledNow(tables.read(String(id), name), table.columns);
  const column = rows.columns.get(by.toLowerCase());
  if (!column) return NOTHING;
  const { counts } = column;
  let first = 1;
  while (first < counts.length && counts[first] === 0) first++;
  if (first >= counts.length) return NOTHING;
  let last = counts.length - 1;
  while (counts[last] === 0) last--;
  const text = (code: number) => toText(valueOfCode(column.domain, code)!, column.type);
  return { first: text(first), last: text(last) };
}

interface SplitInput {
  readonly workspace: string;
  readonly modelId: number;
  readonly key: string;
  readonly version: string;
  readonly table: Table;
  readonly order: Pick<PartsOrder, 'partition' | 'current'>;
}

/** Writes all rows of a table in parts by its rule; nothing is visible yet. */
export const splitParts = task(({ workspace, ...order }: SplitInput): FinalizedParts =>
  splitRows(new Tables(connection(workspace)), order),
);
