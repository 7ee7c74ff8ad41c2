import type { Arena } from './kernel.ts';
import { MergeStop } from './kernel.ts';
import { textDictionary } from './dictionary.ts';

/** Distinct texts in bytes, ascending, read by places: in memory or in a file. */
export interface TextList extends MergedTexts {
  /** Bytes of all texts. */
  readonly byteLength: number;
}

/** What of such texts is asked for to merge them: each stretch once, from the first on. */
export interface MergedTexts {
  readonly size: number;
  /** Whether all bytes are plain ASCII. */
  readonly ascii: boolean;
  /** Bytes of the texts one behind the other, from byte to byte. */
  bytes(from: number, to: number): Uint8Array;
  /** Where texts end, from place to place. */
  ends(from: number, to: number): Uint32Array;
  /** Place by code. */
  rank(): Uint32Array;
}

/** Lists brought into one. */
export interface MergedLists {
  /** Different texts, but for those that stand for null. */
  readonly size: number;
  /** The dictionary as `encodeDomain` writes it. */
  readonly encoded: Uint8Array;
  /** By list, the address of a table from its codes to those of the dictionary: 0 for null. */
  readonly tables: readonly number[];
}

/** Of each list so much is in memory at a time. */
const WINDOW_BYTES = 1 << 18;
const WINDOW_TEXTS = 1 << 15;
const OUTPUT_BYTES = 1 << 20;
/** What may be read behind a window. */
const PADDING = 8;

/**
 * Merges lists of texts, of which a window each is in memory, into one front-coded dictionary. `nulls` stand
 * for null. Undefined where a text is not UTF-8.
 */
export function mergeLists(
  arena: Arena,
  lists: readonly MergedTexts[],
  nulls: Iterable<string>,
): MergedLists | undefined {
  const { kernel } = arena;
  const nullTexts = [...nulls].map((text) => new TextEncoder().encode(text));
  const nullsAt = arena.put(joined(nullTexts));
  const windows = lists.map((list) => new Window(arena, list));
  let outAt = 0;
  let outBytes = 0;
  const parts: Uint8Array[] = [];
  const drain = () => {
    if (outAt !== 0) parts.push(arena.bytes(outAt, kernel.mergedEnd.value - outAt).slice());
    kernel.setMergedEnd(outAt);
  };
  const longest = () => Math.max(0, ...windows.map((w) => w.longest));
  /** The output takes at least the longest text that a window holds. */
  const fill = () => {
    windows.forEach((w, i) => {
      if (kernel.isUsedUp(i) !== 0) w.next(i);
    });
    if (longest() + 16 <= outBytes) return;
    drain();
    if (outAt !== 0) arena.release(outAt);
    outBytes = Math.max(OUTPUT_BYTES, 2 * longest() + 16);
    outAt = arena.allocate(outBytes);
    kernel.setMergedEnd(outAt);
  };
  kernel.startMerge(lists.length, nullsAt, nullTexts.length, lists.every((list) => list.ascii) ? 0 : 1);
  try {
    fill();
    for (
      let stop = kernel.merge(outAt + outBytes);
      stop !== MergeStop.merged;
      stop = kernel.merge(outAt + outBytes)
    ) {
      if (stop === MergeStop.notUtf8) return undefined;
      if (stop === MergeStop.outputFull) drain();
      else fill();
    }
    drain();
    const size = kernel.merged.value;
    const tables = windows.map((w) => w.table());
    return { size, encoded: textDictionary(size, parts), tables };
  } finally {
    kernel.endMerge();
    for (const w of windows) w.release();
    if (outAt !== 0) arena.release(outAt);
    arena.release(nullsAt);
  }
}

/** The part of a list that is in memory. */
class Window {
  /** Bytes of the longest text in the window. */
  longest = 0;
  private taken = 0;
  private bytesAt = 0;
  private room = 0;
  private readonly endsAt: number;
  private placesAt: number;

  constructor(
    private readonly arena: Arena,
    private readonly list: MergedTexts,
  ) {
    this.endsAt = arena.allocate((WINDOW_TEXTS + 1) * 4);
    this.placesAt = arena.allocate(list.size * 4);
  }

  /** Lays out the next texts as list `i`; nothing where there are none. */
  next(i: number): void {
    const { arena, list } = this;
    if (this.taken === list.size) return;
    // The text before comes along, for what the next shares with it.
    const goesOn = this.taken > 0;
    const from = goesOn ? this.taken - 1 : 0;
    const ends = list.ends(from, Math.min(list.size, this.taken + WINDOW_TEXTS));
    const base = from === 0 ? 0 : list.ends(from - 1, from)[0]!;
    let count = ends.length;
    while (count > (goesOn ? 2 : 1) && ends[count - 1]! - base > WINDOW_BYTES)
      count = Math.max(goesOn ? 2 : 1, count >> 1);
    const bytes = list.bytes(base, ends[count - 1]!);
    if (bytes.length + PADDING > this.room) {
      if (this.bytesAt !== 0) arena.release(this.bytesAt);
      this.room = Math.max(WINDOW_BYTES, bytes.length) + PADDING;
      this.bytesAt = arena.allocate(this.room);
    }
    arena.bytes(this.bytesAt, bytes.length).set(bytes);
    arena.words(this.endsAt, count).set(ends.subarray(0, count));
    this.longest = 0;
    for (let k = 0; k < count; k++)
      this.longest = Math.max(this.longest, ends[k]! - (k === 0 ? base : ends[k - 1]!));
    this.taken = from + count;
    arena.kernel.window(i, this.bytesAt, this.endsAt, base, this.placesAt + from * 4, count, goesOn ? 1 : 0);
  }

  /** The table from the list's codes to those of the dictionary, when all have been merged. */
  table(): number {
    const at = this.arena.put(this.list.rank());
    this.arena.kernel.compose(at, this.list.size, this.placesAt);
    this.arena.release(this.placesAt);
    this.placesAt = 0;
    return at;
  }

  release(): void {
    this.arena.release(this.endsAt);
    if (this.placesAt !== 0) this.arena.release(this.placesAt);
    if (this.bytesAt !== 0) this.arena.release(this.bytesAt);
  }
}

/** Each text with its length before it, in 4 bytes. */
function joined(texts: readonly Uint8Array[]): Uint8Array {
  return concatenated(texts.flatMap((text) => [new Uint8Array(Uint32Array.of(text.length).buffer), text]));
}

function concatenated(parts: readonly Uint8Array[]): Uint8Array {
  const all = new Uint8Array(parts.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  for (const part of parts) {
    all.set(part, at);
    at += part.length;
  }
  return all;
}
