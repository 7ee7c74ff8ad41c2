import { isCodeName } from '../claims/index.ts';
import type { ModelColumn } from '../model/index.ts';
import type { ColumnPreview } from '../reading/index.ts';
import { isNumeric, parseType, TEXT } from '../values/index.ts';
import { numberUse } from './amounts.ts';

type Use = NonNullable<ModelColumn['use']>;
type Aggregate = NonNullable<ModelColumn['aggregate']>;

/** What a column would be used for, before its rows are stored, with the reason. */
export interface PreviewUse {
  readonly use: Use;
  readonly aggregate?: Aggregate;
  readonly reason: string;
}

/** Rows from which on it may be said that nearly all values differ. */
const ENOUGH = 50;

/**
 * Proposes a use from what a preview tells of a column: names of codes, and whole numbers that nearly all
 * differ, are no amounts. `type` is what the column is read as, `rows` are those that were looked at.
 */
export function previewUse(
  column: Pick<ColumnPreview, 'name' | 'nulls' | 'distinct'>,
  type: string,
  rows: number,
): PreviewUse {
  const parsed = parseType(type) ?? TEXT;
  const filled = rows - column.nulls;
  const isUnique = filled === rows && column.distinct === rows && rows > 1;
  const isCode = isCodeName(column.name);
  if (isUnique && (isCode || /(^|_| )key$/i.test(column.name)))
    return { use: 'key', reason: 'all values differ, and its name is that of a key' };
  if (isCode) return { use: 'reference', reason: 'its name is that of a code, and values repeat' };
  if (isNumeric(parsed) && parsed.kind === 'integer' && filled >= ENOUGH && column.distinct >= filled * 0.98)
    return { use: 'attribute', reason: 'whole numbers that nearly all differ look like a code' };
  const { use, aggregate, reason } = numberUse(column.name, type, {
    rows,
    isYesOrNo: false,
    areYears: false,
  });
  return { use, ...(aggregate ? { aggregate } : {}), reason };
}
