import type { ColumnName } from '../../formula/index.ts';
import { sameName } from '../../model/index.ts';
import type { RowsStatement } from '../../sql/index.ts';

/** What a sample calls a column: as the model writes it, with its table where that is another one. */
export function shownName(rows: RowsStatement, table: string, { table: home, column }: ColumnName): string {
  const { names } = rows.checker;
  const found = names.column(home, column);
  const name = found?.name ?? column;
  return sameName(home, table) ? name : `${home}.${column}`;
}
