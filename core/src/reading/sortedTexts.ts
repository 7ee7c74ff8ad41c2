import type { SortedTexts } from './chunkReader.ts';

/**
 * Sorted distinct texts as bytes, and for each dictionary that went into them the place of each of its sorted
 * texts.
 */
export interface MergedTexts {
  readonly bytes: Uint8Array;
  readonly ends: Uint32Array;
  readonly ascii: boolean;
  /** By dictionary, then by place among its sorted texts; undefined where the places are the same. */
  readonly places: readonly (Uint32Array | undefined)[];
}

/** Merges sorted dictionaries into one, two by two. */
export function mergeTexts(dictionaries: readonly SortedTexts[]): MergedTexts {
  if (dictionaries.length === 0)
    return { bytes: new Uint8Array(0), ends: new Uint32Array(0), ascii: true, places: [] };
  if (dictionaries.length === 1) {
    const { bytes, ends, ascii } = dictionaries[0]!;
    return { bytes, ends, ascii, places: [undefined] };
  }
  const middle = dictionaries.length >> 1;
  const [a, b] = [mergeTexts(dictionaries.slice(0, middle)), mergeTexts(dictionaries.slice(middle))];
  const { bytes, ends, ofA, ofB } = mergeTwo(a, b);
  const through = (places: MergedTexts['places'], of: Uint32Array) =>
    places.map((list) => list?.map((place) => of[place]!) ?? of);
  return {
    bytes,
    ends,
    ascii: a.ascii && b.ascii,
    places: [...through(a.places, ofA), ...through(b.places, ofB)],
  };
}

export type Texts = Pick<SortedTexts, 'bytes' | 'ends'>;

/** From this many on, of one side in a row, the end of the stretch is searched for instead of walked to. */
const STRETCH = 6;

function mergeTwo(a: Texts, b: Texts): Texts & { ofA: Uint32Array; ofB: Uint32Array } {
  const [sizeA, sizeB] = [a.ends.length, b.ends.length];
  const bytes = new Uint8Array(a.bytes.length + b.bytes.length);
  const ends = new Uint32Array(sizeA + sizeB);
  const [ofA, ofB] = [new Uint32Array(sizeA), new Uint32Array(sizeB)];
  let [i, j, size, at] = [0, 0, 0, 0];
  let [inRow, lastSide] = [0, 0];
  /** Takes texts of one side over, from place `from` up to `to`. */
  const take = (side: Texts, of: Uint32Array, from: number, to: number) => {
    const start = startOf(side, from);
    const shift = at - start;
    for (let k = from; k < to; k++) {
      of[k] = size;
      ends[size++] = side.ends[k]! + shift;
    }
    const end = side.ends[to - 1]!;
    if (to - from > 1) bytes.set(side.bytes.subarray(start, end), at);
    else for (let p = start, q = at; p < end; p++) bytes[q++] = side.bytes[p]!;
    at = end + shift;
  };
  while (i < sizeA && j < sizeB) {
    const order = compareBytes(a.bytes, startOf(a, i), a.ends[i]!, b.bytes, startOf(b, j), b.ends[j]!);
    if (order === 0) {
      ofB[j++] = size;
      take(a, ofA, i, ++i);
      inRow = 0;
      continue;
    }
    inRow = order < 0 === lastSide < 0 ? inRow + 1 : 1;
    lastSide = order;
    if (order < 0) {
      const to = inRow < STRETCH ? i + 1 : firstNotBelow(a, i + 1, b, j);
      take(a, ofA, i, to);
      i = to;
    } else {
      const to = inRow < STRETCH ? j + 1 : firstNotBelow(b, j + 1, a, i);
      take(b, ofB, j, to);
      j = to;
    }
  }
  if (i < sizeA) take(a, ofA, i, sizeA);
  if (j < sizeB) take(b, ofB, j, sizeB);
  return { bytes: bytes.subarray(0, at), ends: ends.subarray(0, size), ofA, ofB };
}

const startOf = ({ ends }: Texts, k: number): number => (k === 0 ? 0 : ends[k - 1]!);

/**
 * The first place from `from` on whose text is not below the k-th of another side: steps that double, then
 * halving.
 */
function firstNotBelow(side: Texts, from: number, other: Texts, k: number): number {
  const start = startOf(other, k);
  const end = other.ends[k]!;
  const isBelow = (place: number) =>
    compareBytes(side.bytes, startOf(side, place), side.ends[place]!, other.bytes, start, end) < 0;
  let step = 1;
  let low = from; // all before it are below
  while (low + step <= side.ends.length && isBelow(low + step - 1)) {
    low += step;
    step *= 2;
  }
  let high = Math.min(low + step - 1, side.ends.length);
  while (low < high) {
    const middle = (low + high) >> 1;
    if (isBelow(middle)) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The place of a text, or -1. */
export function placeOfText({ bytes, ends }: Texts, text: Uint8Array): number {
  let [low, high] = [0, ends.length - 1];
  while (low <= high) {
    const middle = (low + high) >> 1;
    const order = compareBytes(
      bytes,
      middle === 0 ? 0 : ends[middle - 1]!,
      ends[middle]!,
      text,
      0,
      text.length,
    );
    if (order === 0) return middle;
    if (order < 0) low = middle + 1;
    else high = middle - 1;
  }
  return -1;
}

function compareBytes(
  a: Uint8Array,
  startA: number,
  endA: number,
  b: Uint8Array,
  startB: number,
  endB: number,
): number {
  let [i, j] = [startA, startB];
  while (i < endA && j < endB) {
    const difference = a[i++]! - b[j++]!;
    if (difference !== 0) return difference;
  }
  return endA - startA - (endB - startB);
}

/** Longer texts than this are not made in one piece. */
const LONGEST_TEXT = 1 << 28;

/**
 * The texts as strings, and the places of those whose bytes are not UTF-8 (in them U+FFFD stands for what is
 * none).
 */
export function decodeTexts({ bytes, ends, ascii }: Texts & { ascii: boolean }): {
  texts: string[];
  invalid: number[];
} {
  const decoder = new TextDecoder('utf-8', { ignoreBOM: true });
  const texts: string[] = new Array(ends.length);
  const invalid: number[] = [];
  // Of plain ASCII, characters stand where their bytes stand: one text is decoded and cut.
  const all = ascii && bytes.length < LONGEST_TEXT ? decoder.decode(bytes) : undefined;
  let start = 0;
  for (let k = 0; k < ends.length; k++) {
    const end = ends[k]!;
    if (all !== undefined) texts[k] = all.slice(start, end);
    else {
      const text = decoder.decode(bytes.subarray(start, end));
      if (text.includes('\ufffd') && !isUtf8(bytes.subarray(start, end))) invalid.push(k);
      texts[k] = text;
    }
    start = end;
  }
  return { texts, invalid };
}

const strict = new TextDecoder('utf-8', { fatal: true });

/** A text may hold U+FFFD of its own: only the strict decoder tells. */
function isUtf8(bytes: Uint8Array): boolean {
  try {
    strict.decode(bytes);
    return true;
  } catch (error) {
    if (error instanceof TypeError || (error as Error).name === 'TypeError') return false;
    throw error;
  }
}
