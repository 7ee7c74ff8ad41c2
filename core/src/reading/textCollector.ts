export interface CollectedTexts {
  /** Distinct texts in order of first appearance. Invalid UTF-8 becomes U+FFFD. */
  readonly texts: string[];
  /** Each row's place among the texts. */
  readonly codes: Uint32Array;
}

/**
 * Distinct byte strings and one code per row, for previews: the plain way of what the kernel does for whole
 * files. Looks cells up by their bytes (open addressing, FNV-1a), so that no text is made per cell.
 */
export class TextCollector {
  private slots = new Int32Array(1 << 10); // code + 1, or 0 where free
  private hashes = new Int32Array(1 << 9); // by code
  private ends = new Float64Array(1 << 9); // end of each entry in the arena, by code
  private arena = new Uint8Array(1 << 14);
  private used = 0;
  private chunks: Uint32Array[] = [];
  private chunk = new Uint32Array(CHUNK_ROWS);
  private inChunk = 0;
  size = 0;

  get rowCount(): number {
    return this.chunks.length * CHUNK_ROWS + this.inChunk;
  }

  /** Takes the cell bytes[start] up to bytes[end] as the next row's value. */
  add(bytes: Uint8Array, start: number, end: number): void {
    let hash = 0x811c9dc5 | 0;
    for (let i = start; i < end; i++) hash = Math.imul(hash ^ bytes[i]!, 0x01000193);
    // FNV leaves the low bits of like texts alike: mixed as in MurmurHash3 (public domain, by Austin
    // Appleby).
    hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b);
    hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35);
    hash ^= hash >>> 16;
    const mask = this.slots.length - 1;
    let slot = hash & mask;
    for (;;) {
      const held = this.slots[slot]!;
      if (held === 0) {
        this.row(this.enter(bytes, start, end, hash, slot));
        return;
      }
      if (this.hashes[held - 1] === hash && this.same(held - 1, bytes, start, end)) {
        this.row(held - 1);
        return;
      }
      slot = (slot + 1) & mask;
    }
  }

  /** Ends the collection. */
  finish(): CollectedTexts {
    const codes = new Uint32Array(this.rowCount);
    this.chunks.forEach((chunk, i) => codes.set(chunk, i * CHUNK_ROWS));
    codes.set(this.chunk.subarray(0, this.inChunk), this.chunks.length * CHUNK_ROWS);
    const texts: string[] = new Array(this.size);
    const decoder = new TextDecoder('utf-8', { ignoreBOM: true });
    const all = isAscii(this.arena, this.used)
      ? decoder.decode(this.arena.subarray(0, this.used))
      : undefined;
    for (let code = 0; code < this.size; code++) {
      const start = code ? this.ends[code - 1]! : 0;
      // Of plain ASCII, characters stand where their bytes stand: one text is decoded and cut.
      const text =
        all === undefined
          ? decoder.decode(this.arena.subarray(start, this.ends[code]))
          : all.slice(start, this.ends[code]);
      texts[code] = text;
    }
    this.chunks = [];
    return { texts, codes };
  }

  private same(code: number, bytes: Uint8Array, start: number, end: number): boolean {
    const from = code ? this.ends[code - 1]! : 0;
    if (this.ends[code]! - from !== end - start) return false;
    for (let i = start, j = from; i < end; i++, j++) if (bytes[i] !== this.arena[j]) return false;
    return true;
  }

  private enter(bytes: Uint8Array, start: number, end: number, hash: number, slot: number): number {
    const code = this.size++;
    if (code === this.hashes.length) {
      this.hashes = grown(this.hashes, new Int32Array(code * 2));
      this.ends = grown(this.ends, new Float64Array(code * 2));
    }
    if (this.used + end - start > this.arena.length) {
      this.arena = grown(
        this.arena,
        new Uint8Array(Math.max(this.arena.length * 2, this.used + end - start)),
      );
    }
    this.arena.set(bytes.subarray(start, end), this.used);
    this.used += end - start;
    this.ends[code] = this.used;
    this.hashes[code] = hash;
    this.slots[slot] = code + 1;
    if (this.size * 2 > this.slots.length) this.rehash();
    return code;
  }

  private rehash(): void {
    this.slots = new Int32Array(this.slots.length * 2);
    const mask = this.slots.length - 1;
    for (let code = 0; code < this.size; code++) {
      let slot = this.hashes[code]! & mask;
      while (this.slots[slot] !== 0) slot = (slot + 1) & mask;
      this.slots[slot] = code + 1;
    }
  }

  private row(code: number): void {
    this.chunk[this.inChunk++] = code;
    if (this.inChunk < CHUNK_ROWS) return;
    this.chunks.push(this.chunk);
    this.chunk = new Uint32Array(CHUNK_ROWS);
    this.inChunk = 0;
  }
}

const CHUNK_ROWS = 1 << 16;
/** Longer texts than this are not made in one piece. */
const LONGEST_TEXT = 1 << 28;

function isAscii(bytes: Uint8Array, length: number): boolean {
  if (length > LONGEST_TEXT) return false;
  let any = 0;
  for (let i = 0; i < length; i++) any |= bytes[i]!;
  return any < 0x80;
}

function grown<T extends Int32Array | Float64Array | Uint8Array>(old: T, made: T): T {
  made.set(old);
  return made;
}
