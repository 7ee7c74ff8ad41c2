import { statSync } from 'node:fs';
import { VERSION } from '@crease/core/interchange';
import type { Model } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import { dataFolder, FolderCache, openFolder, storedRows } from '@crease/server/files';
import { todayOf } from './input.ts';

/** What commands that read a folder are told about it. */
export interface FolderOptions {
  /** The folder; by default that of the model. */
  readonly data?: string | undefined;
  /** Whether files come from the cache, and go there; by default so. */
  readonly cache?: boolean;
}

/** The option that goes with `cache`. */
export const NO_CACHE = ['--no-cache', 'reads all files again, without the cache'] as const;

let cache: FolderCache | undefined;

/** The cache of folders. Another build may read otherwise: it has its own. */
export function folderCache(): FolderCache {
  // Every build writes the file that this stands in.
  const { mtimeMs, size } = statSync(new URL(import.meta.url));
  return (cache ??= new FolderCache(`${VERSION} ${mtimeMs} ${size}`));
}

/** The rows of a model over the files of a folder. */
export const rowsOfFolder = (model: Model, modelFile: string, options: FolderOptions): Promise<ModelData> =>
  openFolder(
    model,
    dataFolder(modelFile, options.data),
    todayOf(model),
    options.cache === false ? undefined : folderCache(),
  );

/** As `rowsOfFolder`, before corrections: the rows of tables as their files have them. */
export const storedRowsOfFolder = (model: Model, modelFile: string, options: FolderOptions) =>
  storedRows(model, dataFolder(modelFile, options.data), options.cache === false ? undefined : folderCache());

/** Writes what was read, once the answer is there. A cache that cannot be written costs time alone. */
export function writeCache(): void {
  try {
    cache?.write();
  } catch (error) {
    process.stderr.write(
      `crease: the cache could not be written, so files are read again next time: ${(error as Error).message}\n`,
    );
  }
}
