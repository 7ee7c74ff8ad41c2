import type { FileSource } from '../model/index.ts';
import type { SourceKind } from './kind.ts';

/** A delimited or Parquet file of the data folder. */
export const file: SourceKind<FileSource> = {
  field: 'file',
  place: (source) => source.file,
  takesSteps: true,
};
