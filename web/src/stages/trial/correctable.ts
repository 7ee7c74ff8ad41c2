import { sameName, splitPath } from '@crease/core/model';
import type { Model } from '@crease/core/model';
import { correctedColumn } from '@crease/core/corrections';
import type { AggregateRows } from '@crease/core/rows';
import type { CorrectedPlace } from './CorrectValue.tsx';

/** Whether a listed column is one of the table's own whose values can be corrected. */
export function canCorrect(model: Model, rows: AggregateRows, column: number): boolean {
  const { name } = rows.columns[column]!;
  const [table] = splitPath(name) ?? [];
  return (
    rows.keys !== undefined &&
    table !== undefined &&
    sameName(table, rows.table) &&
    !('refusal' in correctedColumn(model, name))
  );
}

/** A value of the list, by its column and the key of its row. */
export function placeOf(rows: AggregateRows, row: number, column: number): CorrectedPlace {
  const made = rows.corrected?.find((c) => c.row === row && c.column === column);
  const value = rows.rows[row]![column]!;
  return {
    of: rows.columns[column]!.name,
    type: rows.columns[column]!.type,
    key: rows.keys![row]!,
    value,
    read: made ? made.was : value,
  };
}
