import { statSync } from 'node:fs';
import { basename } from 'node:path';
import { formatType, unitFormat } from '@crease/core/values';
import type { Table } from '@crease/core/model';
import type { Corrections, FilePreview } from '@crease/core/reading';
import { previewFile } from '@crease/core/reading';
import { isParquet, readHead } from './fileTable.ts';

/** Files up to this size are looked at whole before anything is stored; of larger ones the head. */
export const PREVIEW_BYTES = 16 << 20;

/**
 * What a file's rows tell about its dialect, names and types. With `whole`, all rows are looked at whatever
 * the size.
 */
export function previewOf(file: string, corrected: Corrections = {}, whole = false): FilePreview {
  if (whole && statSync(file).size <= 1 << 30)
    return previewFile(readHead(file, Infinity).head, true, corrected);
  const head = readHead(file, PREVIEW_BYTES);
  return previewFile(head.head, head.whole, corrected);
}

/** What a file of any kind holds, by as many of its rows as are looked at. */
export async function previewWhole(file: string): Promise<FilePreview> {
  if (!isParquet(file)) return previewOf(file, undefined, true);
  // The reader is loaded only where there is something for it.
  const { previewParquet } = await import('./parquetTable.ts');
  return previewParquet(file, {});
}

/** The name that a file's table gets: the file's, without folders and ending. */
export const tableNameOf = (file: string): string =>
  basename(file).replace(/\.((csv|tsv|txt)(\.gz)?|parquet)$/i, '');

/** A table of a model as a preview shows it, before anybody has said what it is. */
export function draftTable(file: string, preview: FilePreview): Table {
  const { dialect } = preview;
  const comma = preview.columns.some((c) => c.decimalComma);
  const thousands = preview.columns.find((c) => c.thousands !== undefined)?.thousands;
  const markers = preview.nulls.some((text) => text !== '');
  return {
    name: tableNameOf(file),
    role: 'staging',
    source: {
      file,
      ...(dialect.delimiter === ',' ? {} : { delimiter: dialect.delimiter }),
      ...(dialect.quote === '"' ? {} : { quote: dialect.quote }),
      ...(dialect.header ? {} : { header: false }),
      ...(dialect.encoding === 'utf-8' ? {} : { encoding: dialect.encoding }),
      ...(markers ? { nulls: [...preview.nulls] } : {}),
      ...(comma ? { decimalComma: true } : {}),
      ...(thousands === undefined ? {} : { thousands }),
      ...(dialect.skip ? { skip: dialect.skip } : {}),
    },
    columns: preview.columns.map((c) => ({
      name: c.name,
      type: formatType(c.type),
      ...(c.pattern ? { pattern: c.pattern } : {}),
      ...unitFormat(c.pattern),
      ...(c.name === c.fileName || !dialect.header ? {} : { sourceName: c.fileName }),
      use: 'attribute' as const,
    })),
  };
}
