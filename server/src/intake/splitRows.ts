import { calledNow } from '@crease/core/columns';
import type { Table } from '@crease/core/model';
import { retyped, selectRows } from '@crease/core/shape';
import type { Tables } from '../store/index.ts';
import type { FinalizedParts, PartsOrder } from './finalizeParts.ts';
import { finalizeParts } from './finalizeParts.ts';

interface SplitOrder {
  readonly modelId: number;
  readonly key: string;
  readonly version: string;
  readonly table: Table;
  readonly order: Pick<PartsOrder, 'partition' | 'current'>;
}

/** Brings rows that are there into parts by a rule, as a load of no rows would. */
export function splitRows(
  tables: Tables,
  { modelId, key, version, table, order }: SplitOrder,
): FinalizedParts {
  const read = (of: string) => retyped(calledNow(tables.read(of, table.name), table.columns), table.columns);
  const existing = read(version);
  const empty = { ...selectRows(existing, []), problems: existing.problems };
  return finalizeParts(
    tables,
    { ...order, mode: 'parts', only: undefined, misfits: [] },
    {
      table: table.name,
      modelId,
      key,
      coming: { ...empty, ...(existing.sourceNames ? { sourceNames: existing.sourceNames } : {}) },
      existing: () => existing,
      partOf: (ids) => read(ids.join('+')),
      merge: undefined,
      dryRun: false,
    },
  );
}
