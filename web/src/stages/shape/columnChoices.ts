import type { Edit } from '@crease/core/edit';
import type { ModelColumn } from '@crease/core/model';

export const USES = ['key', 'reference', 'attribute', 'quantity'] as const;
export const AGGREGATES = ['sum', 'avg', 'min', 'max', 'count', 'distinct', 'none'] as const;
export const TYPES = ['integer', 'decimal(9,2)', 'double', 'text', 'boolean', 'date', 'timestamp'];

/** Changes columns of a table in one edit, which `says` tells of. */
export type SetColumns = (
  list: readonly ModelColumn[],
  change: Extract<Edit[number], { do: 'set-column' }>['change'],
  says: string,
) => void;
