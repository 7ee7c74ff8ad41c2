import { createHash } from 'node:crypto';
import { freemem } from 'node:os';
import type { ArrayFor, Codes } from '@crease/core/columns';
import { codesArray } from '@crease/core/columns';

/** Arrays begin at multiples of this. */
const UNIT = 64;
const LEAST_BYTES = 2 ** 26;
const MOST_ENTRIES = 4096;
const MOST_THREADS = 32;

/**
 * 32-bit numbers of the header: the lock, the clock, threads that have joined, then when the running task of
 * each thread began (0: none).
 */
const [LOCK, CLOCK, JOINED, BEGAN] = [0, 1, 2, 3];
const ENTRIES = BEGAN + MOST_THREADS;
/**
 * Of an entry: four of its key, first unit, units, bytes of a code, codes, when it was last used (0: free),
 * and how often its place was given away.
 */
const [AT, UNITS, WIDTH, LENGTH, USED, TURN, FIELDS] = [4, 5, 6, 7, 8, 9, 10];
const HEADER_BYTES = Math.ceil(((ENTRIES + MOST_ENTRIES * FIELDS) * 4) / UNIT) * UNIT;

/**
 * Memory for decoded codes that threads share: a quarter of what is free, at least 64 MB and at most 4 GB.
 * Pages are taken as they are used.
 */
export function sharedMemory(
  bytes = Math.min(4 * 2 ** 30, Math.max(LEAST_BYTES, Math.floor(freemem() / 4))),
): SharedArrayBuffer {
  try {
    return new SharedArrayBuffer(HEADER_BYTES + Math.floor(bytes / UNIT) * UNIT);
  } catch (error) {
    // A system may refuse to promise more memory than it has: half of it does as well, only slower.
    if (!(error instanceof RangeError) || bytes <= LEAST_BYTES) throw error;
    return sharedMemory(bytes / 2);
  }
}

/**
 * An array that this thread has found in the shared memory; it is there for as long as its place has not been
 * given away.
 */
interface Found {
  readonly entry: number;
  readonly turn: number;
  readonly codes: Codes;
}

/**
 * One thread's door to decoded codes in shared memory. What the running tasks use stays; of everything else,
 * what was used longest ago makes room. A place is given away only while the lock is held, and its turn then
 * changes, by which others see that what they had is gone.
 */
export class SharedCodes {
  private readonly header: Int32Array;
  private readonly units: number;
  private readonly thread: number;

  constructor(private readonly memory: SharedArrayBuffer) {
    this.header = new Int32Array(memory, 0, ENTRIES + MOST_ENTRIES * FIELDS);
    this.units = (memory.byteLength - HEADER_BYTES) / UNIT;
    // More threads than there are places for share one: then more is kept than needed, never less.
    this.thread = Atomics.add(this.header, JOINED, 1) % MOST_THREADS;
  }

  /** Begins a task: arrays given out from now on stay until it ends. */
  begin(): void {
    Atomics.store(this.header, BEGAN + this.thread, this.tick());
  }

  end(): void {
    Atomics.store(this.header, BEGAN + this.thread, 0);
  }

  /**
   * Access to the codes of a key, decoded where nobody has them: best into an array of `arrayFor`, which lies
   * in the shared memory already. What it gives holds until the task ends; where there is no room it is this
   * thread's own for so long. To be asked for each row it costs a few nanoseconds.
   */
  of(key: string, decode: (arrayFor: ArrayFor) => Codes): () => Codes {
    let found: Found | undefined;
    let own: { codes: Codes; began: number } | undefined;
    return () => {
      if (found && this.use(found)) return found.codes;
      const began = Atomics.load(this.header, BEGAN + this.thread);
      if (own && began !== 0 && own.began === began) return own.codes;
      const digest = digestOf(key);
      own = undefined;
      found = this.locked(() => this.find(digest));
      if (found) return found.codes;
      const { codes, placed } = this.decoded(decode);
      found = this.locked(() => this.publish(digest, codes, placed));
      if (found) return found.codes;
      own = { codes, began };
      return codes;
    };
  }

  /** Decodes into the shared memory where there is room; what is there nobody finds until it is whole. */
  private decoded(decode: (arrayFor: ArrayFor) => Codes): { codes: Codes; placed: Found | undefined } {
    let placed: Found | undefined;
    // Outside of a task a place could be given away while it is written to.
    let isFree = Atomics.load(this.header, BEGAN + this.thread) !== 0;
    try {
      const codes = decode((largest, length) => {
        if (isFree) placed = this.locked(() => this.place(widthOf(largest), length));
        const array = isFree && placed ? placed.codes : codesArray(largest, length);
        isFree = false;
        return array;
      });
      return { codes, placed };
    } catch (error) {
      const unused = placed;
      if (unused) this.locked(() => this.give(unused));
      throw error;
    }
  }

  /** Lets others find codes, unless somebody has been faster. Undefined where there is no room. */
  private publish(digest: Int32Array, codes: Codes, placed: Found | undefined): Found | undefined {
    const known = this.find(digest);
    const isPlaced = placed !== undefined && placed.codes === codes;
    if (known || !isPlaced) {
      if (placed) this.give(placed);
      return known ?? this.keep(digest, codes);
    }
    digest.forEach((word, k) => (this.header[this.field(placed.entry, k)] = word));
    return placed;
  }

  /** Bytes of all arrays that are kept. */
  get bytes(): number {
    return this.locked(() =>
      this.used().reduce((sum, e) => sum + this.header[this.field(e, UNITS)]! * UNIT, 0),
    );
  }

  private field(entry: number, field: number): number {
    return ENTRIES + entry * FIELDS + field;
  }

  private tick(): number {
    return Atomics.add(this.header, CLOCK, 1) + 1;
  }

  /**
   * Marks an array as used, unless its place was given away just now. In a task it is marked once: until the
   * task ends it stays.
   */
  private use({ entry, turn }: Found): boolean {
    const { header } = this;
    const began = Atomics.load(header, BEGAN + this.thread);
    // The turn is looked at last: what was used in this task was not given away since, if it was still ours
    // then.
    const used = Atomics.load(header, this.field(entry, USED));
    if (began !== 0 && used >= began && Atomics.load(header, this.field(entry, TURN)) === turn) return true;
    return this.locked(() => {
      if (header[this.field(entry, TURN)] !== turn) return false;
      header[this.field(entry, USED)] = this.tick();
      return true;
    });
  }

  private locked<T>(work: () => T): T {
    const { header } = this;
    while (Atomics.compareExchange(header, LOCK, 0, 1) !== 0) Atomics.wait(header, LOCK, 1, 10);
    try {
      return work();
    } finally {
      Atomics.store(header, LOCK, 0);
      Atomics.notify(header, LOCK, 1);
    }
  }

  private used(): number[] {
    const entries: number[] = [];
    for (let e = 0; e < MOST_ENTRIES; e++) if (this.header[this.field(e, USED)] !== 0) entries.push(e);
    return entries;
  }

  private find(digest: Int32Array): Found | undefined {
    const { header } = this;
    const entry = this.used().find((e) => digest.every((word, k) => header[this.field(e, k)] === word));
    if (entry === undefined) return undefined;
    header[this.field(entry, USED)] = this.tick();
    return this.at(entry);
  }

  private at(entry: number): Found {
    const { header } = this;
    const [start, width, length] = [AT, WIDTH, LENGTH].map((field) => header[this.field(entry, field)]!) as [
      number,
      number,
      number,
    ];
    const make = width === 1 ? Uint8Array : width === 2 ? Uint16Array : Uint32Array;
    const codes = new make(this.memory as unknown as ArrayBuffer, HEADER_BYTES + start * UNIT, length);
    return { entry, turn: header[this.field(entry, TURN)]!, codes };
  }

  /** Copies codes into the memory. Undefined where there is no room. */
  private keep(digest: Int32Array, codes: Codes): Found | undefined {
    const found = this.place(codes.BYTES_PER_ELEMENT, codes.length);
    if (!found) return undefined;
    found.codes.set(codes);
    digest.forEach((word, k) => (this.header[this.field(found.entry, k)] = word));
    return found;
  }

  /**
   * A place for codes under no key, giving up what no task uses, the longest unused first. Undefined where
   * there is no room.
   */
  private place(width: number, length: number): Found | undefined {
    const { header } = this;
    const units = Math.max(1, Math.ceil((width * length) / UNIT));
    if (units > this.units) return undefined;
    let start = this.gap(units);
    while (start === undefined) {
      if (!this.giveUpOne()) return undefined;
      start = this.gap(units);
    }
    let entry = 0;
    while (entry < MOST_ENTRIES && header[this.field(entry, USED)] !== 0) entry++;
    if (entry === MOST_ENTRIES) return undefined;
    for (let k = 0; k < AT; k++) header[this.field(entry, k)] = 0;
    header[this.field(entry, AT)] = start;
    header[this.field(entry, UNITS)] = units;
    header[this.field(entry, WIDTH)] = width;
    header[this.field(entry, LENGTH)] = length;
    header[this.field(entry, USED)] = this.tick();
    return this.at(entry);
  }

  /** Gives a place back, unless it was given away already. */
  private give({ entry, turn }: Found): void {
    const { header } = this;
    if (header[this.field(entry, TURN)] !== turn) return;
    header[this.field(entry, USED)] = 0;
    Atomics.add(header, this.field(entry, TURN), 1);
  }

  /** The first stretch of so many free units. */
  private gap(units: number): number | undefined {
    const taken = this.used()
      .map((e) => ({ start: this.header[this.field(e, AT)]!, units: this.header[this.field(e, UNITS)]! }))
      .sort((a, b) => a.start - b.start);
    let end = 0;
    for (const { start, units: size } of taken) {
      if (start - end >= units) return end;
      end = start + size;
    }
    return this.units - end >= units ? end : undefined;
  }

  private giveUpOne(): boolean {
    const { header } = this;
    const began = Array.from({ length: MOST_THREADS }, (_, k) => Atomics.load(header, BEGAN + k)).filter(
      (tick) => tick !== 0,
    );
    const since = Math.min(Infinity, ...began);
    const idle = this.used().filter((e) => header[this.field(e, USED)]! < since);
    if (idle.length === 0) return false;
    const oldest = idle.reduce((a, b) =>
      header[this.field(a, USED)]! <= header[this.field(b, USED)]! ? a : b,
    );
    header[this.field(oldest, USED)] = 0;
    Atomics.add(header, this.field(oldest, TURN), 1);
    return true;
  }
}

const widthOf = (largest: number): number => codesArray(largest, 0).BYTES_PER_ELEMENT;

/** 128 bits of a digest: two keys do not share them by chance. */
const digestOf = (key: string): Int32Array => {
  const bytes = createHash('sha256').update(key).digest();
  return Int32Array.from({ length: 4 }, (_, k) => bytes.readInt32LE(k * 4));
};
