import { closeSync, fstatSync, openSync, readFileSync, readSync, statSync, writeSync } from 'node:fs';
import { basename } from 'node:path';
import { constants, gunzipSync } from 'node:zlib';
import type { TableData } from '@crease/core/columns';
import type { FileEncoding, ReadSpec } from '@crease/core/reading';
import { CHUNK_BYTES, ReadError, TableReader, transcoder } from '@crease/core/reading';
import { SharedProgress } from '../threads/sharedProgress.ts';
import { HEAD_BYTES } from '@crease/core/sources';

export const isParquet = (file: string): boolean => file.toLowerCase().endsWith('.parquet');
export const isGzip = (file: string): boolean => file.toLowerCase().endsWith('.gz');

/**
 * The first bytes of a file, and whether they are all of it; of a gzip file those that it holds. Throws
 * ReadError where it cannot be read.
 */
export function readHead(file: string, bytes = HEAD_BYTES): { head: Uint8Array; whole: boolean } {
  return onFile(file, (descriptor) => {
    const { size } = statSync(file);
    const head = new Uint8Array(Math.min(size, bytes));
    const read = readSync(descriptor, head, 0, head.length, 0);
    const [found, whole] = [head.subarray(0, read), read >= size];
    // A part of the file gives a part of what it holds.
    return isGzip(file)
      ? { head: unzipped(file, found, constants.Z_SYNC_FLUSH), whole }
      : { head: found, whole };
  });
}

function unzipped(file: string, bytes: Uint8Array, finishFlush = constants.Z_FINISH): Uint8Array {
  try {
    return gunzipSync(bytes, { finishFlush });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE')
      throw new ReadError(`${basename(file)} is too large to unpack in memory: unpack it first`);
    throw new ReadError(
      `${basename(file)} is no gzip file that can be read: it is damaged, or ends too early`,
    );
  }
}

const LEAST_CHUNK = 1 << 12;

/**
 * Reads a whole file in chunks, without a turn of the event loop: for the command line and worker threads.
 */
export function readFileTable(file: string, spec: ReadSpec): TableData {
  return onFile(file, (descriptor) => {
    const reader = new TableReader(spec);
    if (isGzip(file)) {
      const all = unzipped(file, readFileSync(descriptor));
      for (let at = 0; at < all.length; at += CHUNK_BYTES) reader.push(all.subarray(at, at + CHUNK_BYTES));
      return reader.finish();
    }
    // Small files are many: they take no more room than they need.
    const chunk = new Uint8Array(Math.min(CHUNK_BYTES, Math.max(LEAST_CHUNK, fstatSync(descriptor).size)));
    for (;;) {
      const read = readSync(descriptor, chunk, 0, chunk.length, null);
      if (read === 0) return reader.finish();
      reader.push(chunk.subarray(0, read));
    }
  });
}

/**
 * Rewrites a file of another encoding as UTF-8, a stretch at a time, until it is done or stopped. `shared` is
 * the memory of a SharedProgress.
 */
export function transcodeFile(file: string, encoding: FileEncoding, to: string, shared: Int32Array): void {
  const progress = new SharedProgress(shared);
  const recode = transcoder(encoding);
  const out = openSync(to, 'w');
  try {
    onFile(file, (descriptor) => {
      const chunk = new Uint8Array(CHUNK_BYTES);
      for (
        let read = readSync(descriptor, chunk, 0, CHUNK_BYTES, null);
        ;
        read = readSync(descriptor, chunk, 0, CHUNK_BYTES, null)
      ) {
        const bytes = recode(chunk.subarray(0, read), read === 0);
        if (bytes.length > 0) writeSync(out, bytes);
        if (read === 0 || progress.isStopped) return;
      }
    });
  } finally {
    closeSync(out);
  }
}

function onFile<T>(file: string, use: (descriptor: number) => T): T {
  let descriptor: number;
  try {
    descriptor = openSync(file, 'r');
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new ReadError(
      code === 'ENOENT'
        ? `there is no file ${basename(file)} in the data folder `
        : code === 'EACCES'
          ? `there is no right to read ${basename(file)}`
          : `${basename(file)} cannot be read (${code})`,
    );
  }
  try {
    return use(descriptor);
  } finally {
    closeSync(descriptor);
  }
}
