import type { StepArgument, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { StateColumn } from '@crease/core/shape';

const isDay = (c: StateColumn) => c.type === 'date' || c.type === 'timestamp';

/**
 * A lookup to start from: columns of one name are the likely keys, declared versions the likely days. Empty
 * where no table is chosen, or another window has removed it.
 */
export function lookupOf(table: Table | undefined, own: readonly StateColumn[]): StepArgument<'lookup'> {
  if (!table) return { table: '', on: [['', '']], columns: [] };
  const shared = table.columns.filter((c) => own.some((o) => sameName(o.name, c.name)));
  const keys = shared.filter((c) => (table.validity?.of ?? table.key ?? []).some((k) => sameName(k, c.name)));
  const on = (keys.length > 0 ? keys : shared.slice(0, 1)).map((c): [string, string] => [
    own.find((o) => sameName(o.name, c.name))!.name,
    c.name,
  ]);
  const at = own.find(isDay)?.name;
  const { validity } = table;
  const first = table.columns.find((c) => !on.some(([, theirs]) => sameName(theirs, c.name)));
  return {
    table: table.name,
    on: on.length > 0 ? on : [['', '']],
    columns: first ? [first.name] : [],
    ...(validity && at ? { valid: { at, from: validity.from, to: validity.to } } : {}),
  };
}
