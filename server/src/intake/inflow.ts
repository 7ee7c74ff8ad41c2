import { statfs } from 'node:fs/promises';
import { basename } from 'node:path';
import { Transform } from 'node:stream';
import { ServerError } from '../errors.ts';

/**
 * Bytes that a gzip file may become for each byte of it. Deflate reaches 1,032; tables with many repeated
 * values reach some 50 to 100, and what is far above them was made to fill a disk.
 */
const MOST_RATIO = 250;
/** A small file may become this much, whatever its ratio. */
const ALWAYS_BYTES = 64_000_000;
/** Room that an upload leaves on the disk: in bytes, and as a part of a small one. */
const LEFT_FREE_BYTES = 500_000_000;
const LEFT_FREE_PART = 0.05;
/** How many bytes are written between two looks at the disk. */
const LOOK_BYTES = 32_000_000;

/** Lets bytes through, and counts them. */
export class Counted extends Transform {
  bytes = 0;

  override _transform(
    chunk: Buffer,
    _encoding: string,
    done: (error: Error | null, chunk: Buffer) => void,
  ): void {
    this.bytes += chunk.length;
    done(null, chunk);
  }
}

/**
 * Lets bytes through as long as the disk of `folder` has room, and, of an unpacked file, as long as they are
 * in proportion to what came.
 */
export class Bounded extends Transform {
  private bytes = 0;
  private looked = -LOOK_BYTES;

  constructor(
    private readonly name: string,
    private readonly folder: string,
    private readonly came?: Counted,
  ) {
    super();
  }

  override _transform(
    chunk: Buffer,
    _encoding: string,
    done: (error: Error | null, chunk?: Buffer) => void,
  ): void {
    this.bytes += chunk.length;
    const most = this.came ? Math.max(ALWAYS_BYTES, this.came.bytes * MOST_RATIO) : Infinity;
    if (this.bytes > most)
      return done(
        new ServerError(
          'limit',
          `${basename(this.name)} becomes more than ${MOST_RATIO} times its size when it is unpacked: unpack it yourself if that is right`,
        ),
      );
    if (this.bytes - this.looked < LOOK_BYTES) return done(null, chunk);
    this.looked = this.bytes;
    statfs(this.folder).then(
      ({ bavail, blocks, bsize }) =>
        bavail * bsize < Math.min(LEFT_FREE_BYTES, LEFT_FREE_PART * blocks * bsize)
          ? done(
              new ServerError(
                'disk-full',
                `the disk has no room for ${basename(this.name)}: nothing was stored`,
              ),
            )
          : done(null, chunk),
      (error: unknown) => done(error as Error),
    );
  }
}
