import { keyNumbers, orphanCodes } from '../../relate/index.ts';
import { offendingCodes, offendingRows } from '../offenders.ts';
import type { OrphansCount, RunCount } from './count.ts';

export const countOrphans: RunCount<OrphansCount> = ({ table, columns, of }, data) => {
  const from = data.table(table);
  const read = columns.map((name) => data.column(table, name));
  const partners = of.columns.map((name) => data.column(of.table, name));
  if (read.length === 1) {
    const [column] = read;
    return offendingCodes(
      from,
      column!.rowCount - column!.nulls,
      column!,
      orphanCodes(column!, partners[0]!),
    );
  }
  const keys = keyNumbers(read, partners);
  const known = new Uint8Array(keys.size);
  for (const key of keys.to) known[key] = 1;
  let filled = 0;
  for (const key of keys.from) if (key !== 0) filled++;
  return offendingRows(from, filled, read, (row) => keys.from[row] !== 0 && !known[keys.from[row]!]);
};
