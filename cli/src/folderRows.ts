import { statSync } from 'node:fs';
import { VERSION } from '@crease/core/interchange';
import type { Model } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import { dataFolder, FolderCache, openFolder } from '@crease/server/files';
import { todayOf } from './input.ts';

/** What commands that read a folder are told about it. */
export interface FolderOptions {
  /** The folder; by default that of the model. */
  readonly data?: string | undefined;
  /** Whether what was read before is used, and what is read is kept; by default so. */
  readonly cache?: boolean;
}

/** The option that goes with `cache`. */
export const NO_CACHE = ['--no-cache', 'reads every file again, and keeps nothing of it'] as const;

let cache: FolderCache | undefined;

/** What is kept of folders. Another build may read otherwise: it keeps its own. */
export function folderCache(): FolderCache {
  const program = statSync(process.argv[1]!, { throwIfNoEntry: false });
  return (cache ??= new FolderCache(`${VERSION} ${program?.mtimeMs} ${program?.size}`));
}

/** The rows of a model over the files of a folder. */
export const rowsOfFolder = (model: Model, modelFile: string, options: FolderOptions): Promise<ModelData> =>
  openFolder(
    model,
    dataFolder(modelFile, options.data),
    todayOf(model),
    options.cache === false ? undefined : folderCache(),
  );

/** Keeps what was read, once the answer is there. A cache that cannot be written costs time alone. */
export function keepRead(): void {
  try {
    cache?.write();
  } catch (error) {
    process.stderr.write(
      `crease: what was read could not be kept for the next time: ${(error as Error).message}\n`,
    );
  }
}
