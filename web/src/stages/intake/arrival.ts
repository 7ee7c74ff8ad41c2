import type { UploadState } from '@crease/contract';
import type { Dialect, FilePreview } from '@crease/core/reading';

export interface ArrivingColumn {
  name: string;
  fileName: string;
  type: string;
  pattern?: string;
  decimalComma?: boolean;
  taken: boolean;
}

/** A file on its way in: coming, looked at, being stored, or refused. */
export interface Arrival {
  readonly key: string;
  readonly file: File;
  readonly name: string;
  readonly state: 'coming' | 'ready' | 'storing' | 'wrong';
  readonly progress: number;
  readonly cancel: AbortController;
  readonly upload?: UploadState;
  readonly preview?: FilePreview;
  readonly columns: readonly ArrivingColumn[];
  /** Corrections to what was guessed. */
  readonly dialect?: Partial<Pick<Dialect, 'delimiter' | 'quote' | 'header' | 'encoding'>>;
  readonly fault?: string;
}

export const tableName = (file: string): string => file.replace(/\.(csv|tsv|txt)$/i, '');
