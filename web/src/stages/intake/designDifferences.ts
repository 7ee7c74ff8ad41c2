import type { Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { FilePreview } from '@crease/core/reading';
import { count, many } from '../../parts/text.ts';
import type { ArrivingColumn } from './arrival.ts';

/**
 * In what the rows of a file are not what a design says, beside its columns and types: texts that are longer
 * than they may be, and keys that repeat or are missing. Of a file that was read in part it is what that part
 * shows.
 */
export function designDifferences(
  design: Table,
  preview: Pick<FilePreview, 'columns' | 'rows'>,
  arriving: readonly Pick<ArrivingColumn, 'place' | 'name' | 'taken'>[],
): string[] {
  const found: string[] = [];
  const previewOf = (name: string) => {
    const column = arriving.find((a) => a.taken && sameName(a.name, name));
    return column && preview.columns.find((c) => c.place === column.place);
  };
  for (const { name, length } of design.columns) {
    const longest = previewOf(name)?.longest;
    if (length !== undefined && longest !== undefined && longest > length)
      found.push(
        `${name} has texts of up to ${many(longest, 'character')}, the design allows ${count(length)}`,
      );
  }
  const key = design.key ?? [];
  for (const name of key) {
    const nulls = previewOf(name)?.nulls ?? 0;
    if (nulls > 0) found.push(`the key ${name} is missing in ${many(nulls, 'row')}`);
  }
  const [only] = key.length === 1 ? key : [];
  const single = only === undefined ? undefined : previewOf(only);
  const repeated = single ? preview.rows - single.nulls - single.distinct : 0;
  if (repeated > 0) found.push(`the key ${only} repeats: ${many(repeated, 'row')} more than values`);
  return found;
}
