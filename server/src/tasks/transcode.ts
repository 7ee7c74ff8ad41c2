import type { FileEncoding } from '@crease/core/reading';
import { transcodeFile } from '../sources/fileTable.ts';
import { task } from '../threads/protocol.ts';

interface Input {
  readonly file: string;
  readonly encoding: FileEncoding;
  readonly to: string;
  readonly shared: Int32Array;
}

/** Rewrites a file as UTF-8. */
export const transcode = task(({ file, encoding, to, shared }: Input) =>
  transcodeFile(file, encoding, to, shared),
);
