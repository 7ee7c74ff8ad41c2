import type { Model, Table } from '@crease/core/model';
import { isPassedThrough } from '@crease/core/model';
import { DataError } from '@crease/core/query';

/** Why columns have no answer: rows lie in their database. */
export const passedThrough = (table: string): DataError =>
  new DataError(`the rows of ${table} are passed through: they are asked in their database`, {
    code: 'passed-through',
  });

/** The key of a passed-through table among versions of rows. */
export const passedKey = (table: Table): string => `passed through ${table.name}`;

/** The tables of a model whose rows stay in their database. */
export const passedTables = (model: Model): Table[] => model.tables.filter(isPassedThrough);
