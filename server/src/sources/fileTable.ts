import { closeSync, createReadStream, openSync, readSync, statSync } from 'node:fs';
import { basename } from 'node:path';
import type { TableData } from '@crease/core/columns';
import type { ReadSpec } from '@crease/core/reading';
import { ReadError, TableReader } from '@crease/core/reading';
import { HEAD_BYTES } from '@crease/core/interchange';

/** Bytes of a chunk handed to the reader. */
export const CHUNK_BYTES = 1 << 20;

/** The first bytes of a file, and whether they are all of it. Throws ReadError where it cannot be read. */
export function readHead(file: string, bytes = HEAD_BYTES): { head: Uint8Array; whole: boolean } {
  return onFile(file, (descriptor) => {
    const { size } = statSync(file);
    const head = new Uint8Array(Math.min(size, bytes));
    const read = readSync(descriptor, head, 0, head.length, 0);
    return { head: head.subarray(0, read), whole: read >= size };
  });
}

/** Reads a whole file in chunks, without a turn of the event loop: for the command line and worker threads. */
export function readFileTable(file: string, spec: ReadSpec): TableData {
  return onFile(file, (descriptor) => {
    const reader = new TableReader(spec);
    for (;;) {
      // A fresh buffer each time: the reader may keep the rest of a record.
      const chunk = new Uint8Array(CHUNK_BYTES);
      const read = readSync(descriptor, chunk, 0, CHUNK_BYTES, null);
      if (read === 0) return reader.finish();
      reader.push(chunk.subarray(0, read));
    }
  });
}

/** As `readFileTable`, giving way between chunks, telling the bytes read, and stopping at the signal. */
export async function streamFileTable(
  file: string,
  spec: ReadSpec,
  onProgress: (bytes: number) => void,
  signal: AbortSignal,
): Promise<TableData> {
  const reader = new TableReader(spec);
  let bytes = 0;
  for await (const chunk of createReadStream(file, { highWaterMark: CHUNK_BYTES, signal })) {
    reader.push(chunk as Uint8Array);
    bytes += (chunk as Uint8Array).length;
    onProgress(bytes);
  }
  return reader.finish();
}

function onFile<T>(file: string, use: (descriptor: number) => T): T {
  let descriptor: number;
  try {
    descriptor = openSync(file, 'r');
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new ReadError(
      code === 'ENOENT' ? `there is no file ${basename(file)} in the data folder (${file})` : `the file ${file} cannot be read (${code})`,
    );
  }
  try {
    return use(descriptor);
  } finally {
    closeSync(descriptor);
  }
}
