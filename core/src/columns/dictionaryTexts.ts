import { FRONT_BLOCK, MARKED, marksOf, readNumber, skipTexts, textDictionary } from './dictionary.ts';
import type { MergedTexts } from './mergeTexts.ts';

/** Bytes that a text of few bytes takes with its two lengths: where an output begins. */
const GUESSED_BYTES = 12;

/** The bytes of one text after the other of an encoded dictionary, from any of them on. */
class TextWalk {
  /** The UTF-8 of the text that was taken last, in its first `length` bytes. */
  text = new Uint8Array(256);
  length = 0;
  /** The place (from 0) of the text that comes next. */
  next = 0;
  private at: number;
  private readonly marks: number[];

  constructor(private readonly bytes: Uint8Array) {
    this.marks = marksOf(bytes);
    this.at = this.marks[0]!;
  }

  /** Passes over texts so that the one of this place comes next. */
  goTo(place: number): void {
    // What a text shares is known from the first of its block on.
    const block = place - (place % FRONT_BLOCK);
    if (block > this.next) {
      const mark = Math.floor(place / MARKED);
      while (this.marks.length <= mark) this.marks.push(skipTexts(this.bytes, this.marks.at(-1)!, MARKED));
      if (mark * MARKED > this.next) [this.next, this.at] = [mark * MARKED, this.marks[mark]!];
      this.at = skipTexts(this.bytes, this.at, block - this.next);
      this.next = block;
    }
    while (this.next < place) this.take();
  }

  take(): void {
    const { bytes } = this;
    let at = this.at;
    let shared = bytes[at++]!;
    if (shared >= 0x80) ({ value: shared, end: at } = readNumber(bytes, at - 1));
    let rest = bytes[at++]!;
    if (rest >= 0x80) ({ value: rest, end: at } = readNumber(bytes, at - 1));
    this.length = shared + rest;
    if (this.length > this.text.length) this.text = grown(this.text, this.length);
    const { text } = this;
    for (let k = shared; k < this.length; k++) text[k] = bytes[at++]!;
    this.at = at;
    this.next++;
  }
}

/**
 * Hands over the UTF-8 of each text of a dictionary in its order, in the first `length` bytes of an array
 * that is used again. Ends where `visit` gives false; gives whether it came to the end.
 */
export function walkTexts(
  encoded: Uint8Array,
  visit: (text: Uint8Array, length: number, place: number) => boolean,
): boolean {
  const walk = new TextWalk(encoded);
  const { value: size } = readNumber(encoded, 1);
  for (let place = 0; place < size; place++) {
    walk.take();
    if (!visit(walk.text, walk.length, place)) return false;
  }
  return true;
}

/**
 * A dictionary of some of the texts of another, both as `encodeDomain` writes them: of those codes, which
 * ascend and are from 1 on. No text is decoded.
 */
export function textsOfCodes(bytes: Uint8Array, codes: ArrayLike<number>): Uint8Array {
  const walk = new TextWalk(bytes);
  const out = new GrowingBytes(codes.length * GUESSED_BYTES);
  let before = new Uint8Array(256);
  let beforeLength = 0;
  for (let k = 0; k < codes.length; k++) {
    walk.goTo(codes[k]! - 1);
    walk.take();
    const { text, length } = walk;
    let shared = 0;
    if (k % FRONT_BLOCK !== 0) {
      const most = Math.min(length, beforeLength);
      while (shared < most && text[shared] === before[shared]) shared++;
    }
    out.reserve(length + 12);
    out.number(shared);
    out.number(length - shared);
    out.copy(text, shared, length);
    if (length > before.length) before = new Uint8Array(2 * length);
    for (let i = 0; i < length; i++) before[i] = text[i]!;
    beforeLength = length;
  }
  return textDictionary(codes.length, [out.taken()]);
}

class GrowingNumbers {
  numbers = new Uint32Array(1 << 12);
  length = 0;

  push(number: number): void {
    if (this.length === this.numbers.length) {
      const larger = new Uint32Array(2 * this.length);
      larger.set(this.numbers);
      this.numbers = larger;
    }
    this.numbers[this.length++] = number;
  }

  /** Leaves the first ones out. */
  forget(count: number): void {
    this.numbers.copyWithin(0, count, this.length);
    this.length -= count;
  }
}

class GrowingBytes {
  private bytes: Uint8Array<ArrayBuffer>;
  private at = 0;

  constructor(size: number) {
    this.bytes = new Uint8Array(Math.max(64, size));
  }

  reserve(more: number): void {
    if (this.at + more > this.bytes.length) this.bytes = grown(this.bytes, this.at + more);
  }

  /** Seven bits a byte, the lowest first. */
  number(n: number): void {
    while (n >= 0x80) {
      this.bytes[this.at++] = (n & 0x7f) | 0x80;
      n >>>= 7;
    }
    this.bytes[this.at++] = n;
  }

  copy(from: Uint8Array, start: number, end: number): void {
    for (let i = start; i < end; i++) this.bytes[this.at++] = from[i]!;
  }

  taken(): Uint8Array {
    return this.bytes.subarray(0, this.at);
  }
}

/** The texts of an encoded dictionary as a list to be merged: read once, from the first on. */
export class DictionaryTexts implements MergedTexts {
  readonly size: number;
  /** They have been checked when they came in. */
  readonly ascii = true;
  /** Bytes of the texts that have been read and may be asked for again, one behind the other. */
  private plain = new Uint8Array(1 << 16);
  /** Where `plain` begins among the bytes of all texts, and the place of its first text. */
  private base = 0;
  private first = 0;
  private filled = 0;
  /** Where each of them ends among the bytes of all texts. */
  private readonly held = new GrowingNumbers();
  /** Where the last of them begins in `plain`, and the next in the dictionary. */
  private last = 0;
  private at: number;

  constructor(private readonly encoded: Uint8Array) {
    const { value, end } = readNumber(encoded, 1);
    this.size = value;
    this.at = end;
  }

  ends(from: number, to: number): Uint32Array {
    this.forget(from);
    const lacking = to - this.first - this.held.length;
    if (lacking > 0) this.read(lacking);
    return this.held.numbers.slice(from - this.first, to - this.first);
  }

  bytes(from: number, to: number): Uint8Array {
    return this.plain.subarray(from - this.base, to - this.base);
  }

  rank(): Uint32Array {
    const places = new Uint32Array(this.size);
    for (let place = 0; place < places.length; place++) places[place] = place;
    return places;
  }

  /** Texts before that place are not asked for any more, but for where the last of them ends. */
  private forget(place: number): void {
    const gone = place - 1 - this.first;
    // Only now and then: what stays is moved.
    if (gone < 1 << 12) return;
    const end = this.held.numbers[gone - 1]!;
    this.plain.copyWithin(0, end - this.base, this.filled);
    this.filled -= end - this.base;
    this.last -= end - this.base;
    this.base = end;
    this.held.forget(gone);
    this.first += gone;
  }

  private read(count: number): void {
    const { encoded } = this;
    let { at, filled, last, plain } = this;
    for (let i = 0; i < count; i++) {
      let shared = encoded[at++]!;
      if (shared >= 0x80) ({ value: shared, end: at } = readNumber(encoded, at - 1));
      let rest = encoded[at++]!;
      if (rest >= 0x80) ({ value: rest, end: at } = readNumber(encoded, at - 1));
      if (filled + shared + rest > plain.length) plain = this.plain = grown(plain, filled + shared + rest);
      const start = filled;
      for (let k = 0; k < shared; k++) plain[filled++] = plain[last + k]!;
      for (let k = 0; k < rest; k++) plain[filled++] = encoded[at++]!;
      last = start;
      this.held.push(this.base + filled);
    }
    [this.at, this.filled, this.last] = [at, filled, last];
  }
}

function grown(bytes: Uint8Array<ArrayBuffer>, needed: number): Uint8Array<ArrayBuffer> {
  const larger = new Uint8Array(2 * needed);
  larger.set(bytes);
  return larger;
}
