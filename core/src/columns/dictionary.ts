import type { DataType, Value } from '../values/index.ts';
import type { Domain } from './domain.ts';
import { listDomain, rangeDomain, valueOfCode } from './domain.ts';

/**
 * Domains in bytes. First byte: 0 range, 1 texts, 2 whole numbers of 4 bytes, 3 doubles, 4 wide whole numbers
 * as text, 5 booleans. Texts are front-coded: each entry is the length of the prefix shared with the one
 * before, the length of the rest, the rest (UTF-8); every 16th entry starts afresh, so that one entry can be
 * read without all before it. Lengths are LEB128 variable-length integers.
 */
export const FRONT_BLOCK = 16;
const RANGE_BYTES = 13;

export function encodeDomain(domain: Domain, type: DataType): Uint8Array {
  if (domain.kind === 'range') {
    const bytes = new Uint8Array(RANGE_BYTES);
    const view = new DataView(bytes.buffer);
    view.setFloat64(1, domain.first, true);
    view.setUint32(9, domain.size, true);
    return bytes;
  }
  if (domain.values instanceof Float64Array && (type.kind === 'double' || !isSmall(domain.values)))
    return encodeDoubles(domain.values);
  const values = Array.from(domain.values);
  if (type.kind === 'text') return encodeTexts(1, values as string[]);
  if (type.kind === 'boolean') return Uint8Array.from([5, ...values.map((v) => (v ? 1 : 0))]);
  if (type.kind !== 'double' && values.every((v) => typeof v === 'number' && (v | 0) === v))
    return encodeNumbers(2, 4, values as number[]);
  if (values.every((v) => typeof v === 'number')) return encodeNumbers(3, 8, values as number[]);
  return encodeTexts(4, values.map(String));
}

/** Whether all numbers are whole and of 32 bits. */
const isSmall = (values: Float64Array): boolean => values.every((v) => (v | 0) === v);

/** As `encodeNumbers` writes doubles, in one go: there may be tens of millions. */
function encodeDoubles(values: Float64Array): Uint8Array {
  const bytes = new Uint8Array(1 + values.byteLength);
  bytes[0] = 3;
  bytes.set(new Uint8Array(values.buffer, values.byteOffset, values.byteLength), 1);
  return bytes;
}

function encodeNumbers(tag: number, width: 4 | 8, values: number[]): Uint8Array {
  const bytes = new Uint8Array(1 + values.length * width);
  bytes[0] = tag;
  const view = new DataView(bytes.buffer);
  values.forEach((value, i) =>
    width === 4 ? view.setInt32(1 + i * 4, value, true) : view.setFloat64(1 + i * 8, value, true),
  );
  return bytes;
}

function encodeTexts(tag: number, texts: string[]): Uint8Array {
  const encoder = new TextEncoder();
  const parts = texts.map((text) => encoder.encode(text));
  const ends = new Uint32Array(parts.length);
  let size = 0;
  parts.forEach((part, k) => (ends[k] = size += part.length));
  const bytes = new Uint8Array(size);
  parts.forEach((part, k) => bytes.set(part, ends[k]! - part.length));
  return frontCoded(tag, bytes, ends);
}

/**
 * Encodes a domain of texts from their bytes one behind the other, ascending; `ends[k]` is where the k-th
 * ends.
 */
export const encodeTextBytes = (bytes: Uint8Array, ends: Uint32Array): Uint8Array =>
  frontCoded(1, bytes, ends);

function frontCoded(tag: number, bytes: Uint8Array, ends: Uint32Array): Uint8Array {
  const out = new Uint8Array(16 + bytes.length + ends.length * 6);
  let at = 0;
  const number = (n: number) => {
    while (n >= 0x80) {
      out[at++] = (n & 0x7f) | 0x80;
      n >>>= 7;
    }
    out[at++] = n;
  };
  out[at++] = tag;
  number(ends.length);
  let [before, start] = [0, 0];
  for (let k = 0; k < ends.length; k++) {
    const end = ends[k]!;
    let shared = 0;
    if (k % FRONT_BLOCK !== 0) {
      const most = Math.min(end - start, start - before);
      while (shared < most && bytes[start + shared] === bytes[before + shared]) shared++;
    }
    number(shared);
    number(end - start - shared);
    for (let p = start + shared; p < end; p++) out[at++] = bytes[p]!;
    before = start;
    start = end;
  }
  return out.slice(0, at);
}

export function decodeDomain(bytes: Uint8Array): Domain {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  switch (bytes[0]) {
    case 0:
      return rangeDomain(view.getFloat64(1, true), view.getUint32(9, true));
    case 1:
      return listDomain(decodeTexts(bytes));
    case 2:
      return listDomain(
        Array.from({ length: (bytes.length - 1) / 4 }, (_, i) => view.getInt32(1 + i * 4, true)),
      );
    case 3:
      return listDomain(
        Array.from({ length: (bytes.length - 1) / 8 }, (_, i) => view.getFloat64(1 + i * 8, true)),
      );
    case 4:
      return listDomain(
        decodeTexts(bytes).map((text): Value =>
          Number.isSafeInteger(Number(text)) ? Number(text) : BigInt(text),
        ),
      );
    case 5:
      return listDomain(Array.from(bytes.subarray(1), (b) => b === 1));
    default:
      throw new RangeError(`a dictionary of unknown kind ${bytes[0]}`);
  }
}

/** A dictionary of so many texts, of the bytes that follow its head. */
export function textDictionary(size: number, parts: readonly Uint8Array[]): Uint8Array {
  const head = [1];
  for (let left = size; ; left = Math.floor(left / 128)) {
    head.push(left >= 128 ? (left % 128) | 0x80 : left);
    if (left < 128) break;
  }
  const all = new Uint8Array(parts.reduce((sum, { length }) => sum + length, head.length));
  all.set(head);
  let at = head.length;
  for (const part of parts) {
    all.set(part, at);
    at += part.length;
  }
  return all;
}

/** Bytes from the start of an encoded dictionary that may be enough to know its size. */
export const SIZE_BYTES = 16;

/**
 * Values of an encoded dictionary, without reading them. Undefined where the first bytes alone do not tell;
 * `whole` says that all are there.
 */
export function domainSize(bytes: Uint8Array, whole: boolean): number | undefined {
  switch (bytes[0]) {
    case 0:
      return new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength).getUint32(9, true);
    case 1:
    case 4:
      return readNumber(bytes, 1).value;
    case 2:
      return whole ? (bytes.length - 1) / 4 : undefined;
    case 3:
      return whole ? (bytes.length - 1) / 8 : undefined;
    default:
      return whole ? bytes.length - 1 : undefined;
  }
}

/** A number of 7 bits a byte, the lowest first; `end` is behind it. */
export function readNumber(bytes: Uint8Array, from: number): { value: number; end: number } {
  let [value, shift, end] = [0, 0, from];
  for (;;) {
    const byte = bytes[end++]!;
    value += (byte & 0x7f) * 2 ** shift;
    if (byte < 0x80) return { value, end };
    shift += 7;
  }
}

/**
 * Texts are decoded so many bytes at a time, and cut: a call of the decoder for each would take most of the
 * time.
 */
const DECODED_BYTES = 1 << 22;

function decodeTexts(bytes: Uint8Array): string[] {
  const decoder = new TextDecoder('utf-8', { ignoreBOM: true });
  let at = 1;
  const number = () => {
    const { value, end } = readNumber(bytes, at);
    at = end;
    return value;
  };
  const count = number();
  const texts: string[] = new Array(count);
  // Small dictionaries are many: they take no more room than they need.
  let plain = new Uint8Array(Math.min(DECODED_BYTES, 4 * bytes.length) + (1 << 10));
  // Where each text of the stretch ends, in UTF-16 units: what it shares with the one before is found anew in
  // it.
  const ends: number[] = [];
  let [first, before, filled, units, from] = [0, 0, 0, 0, 0];
  const cut = () => {
    const all = decoder.decode(plain.subarray(from, filled));
    let start = 0;
    for (let k = 0; k < ends.length; k++) {
      texts[first + k] = all.slice(start, ends[k]);
      start = ends[k]!;
    }
    first += ends.length;
    ends.length = 0;
    units = 0;
  };
  for (let i = 0; i < count; i++) {
    const [shared, rest] = [number(), number()];
    if (filled + shared + rest > plain.length) {
      const larger = new Uint8Array(2 * (filled + shared + rest));
      larger.set(plain.subarray(0, filled));
      plain = larger;
    }
    const start = filled;
    for (let k = 0; k < shared; k++) plain[filled++] = plain[before + k]!;
    for (let k = 0; k < rest; k++) plain[filled++] = bytes[at++]!;
    for (let k = start; k < filled; k++) {
      const byte = plain[k]!;
      // Continuations are no unit of their own, characters beyond the basic plane are two.
      if ((byte & 0xc0) !== 0x80) units += byte >= 0xf0 ? 2 : 1;
    }
    ends.push(units);
    before = start;
    if (filled >= DECODED_BYTES) {
      cut();
      // The bytes of the last one stay, for what the next shares with it.
      plain.copyWithin(0, before, filled);
      from = filled -= before;
      before = 0;
    }
  }
  cut();
  return texts;
}

/**
 * The values of some codes of an encoded dictionary, in their order; code 0 is null. Texts are passed over
 * but for those that are asked for, which takes a small part of the time and memory of decoding all.
 */
export function valuesOfCodes(bytes: Uint8Array, codes: readonly number[]): Value[] {
  if (bytes[0] !== 1) return codes.map(plainValueOf(bytes));
  const wanted = [...new Set(codes)].filter((code) => code > 0).sort((a, b) => a - b);
  const found = new Map<number, Value>([[0, null]]);
  const decoder = new TextDecoder('utf-8', { ignoreBOM: true });
  const known = marksOf(bytes);
  for (const code of wanted) {
    const mark = Math.floor((code - 1) / MARKED);
    while (known.length <= mark) known.push(skipTexts(bytes, known.at(-1)!, MARKED));
    found.set(code, decoder.decode(textAt(bytes, known[mark]!, (code - 1) % MARKED)));
  }
  return codes.map((code) => found.get(code)!);
}

/** How the value of a code is read from a dictionary that holds no texts. */
function plainValueOf(bytes: Uint8Array): (code: number) => Value {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const after = (of: (at: number) => Value) => (code: number) => (code === 0 ? null : of(code - 1));
  switch (bytes[0]) {
    case 0:
      return after((at) => view.getFloat64(1, true) + at);
    case 2:
      return after((at) => view.getInt32(1 + at * 4, true));
    case 3:
      return after((at) => view.getFloat64(1 + at * 8, true));
    default: {
      const domain = decodeDomain(bytes);
      return (code) => valueOfCode(domain, code);
    }
  }
}

/** Every so many texts it is kept where they begin; a multiple of the texts that share their beginnings. */
export const MARKED = 64 * FRONT_BLOCK;
const marks = new WeakMap<Uint8Array, number[]>();

/** Where each stretch of `MARKED` texts of a dictionary begins, as far as it has been read. */
export function marksOf(bytes: Uint8Array): number[] {
  const known = marks.get(bytes) ?? [readNumber(bytes, 1).end];
  marks.set(bytes, known);
  return known;
}

/** Where the text begins that stands so many further. */
export function skipTexts(bytes: Uint8Array, at: number, count: number): number {
  for (let i = 0; i < count; i++) {
    // Most lengths are of one byte.
    if (bytes[at++]! >= 0x80) at = readNumber(bytes, at - 1).end;
    let rest = bytes[at++]!;
    if (rest >= 0x80) ({ value: rest, end: at } = readNumber(bytes, at - 1));
    at += rest;
  }
  return at;
}

/** The UTF-8 of the text that stands so many further. */
function textAt(bytes: Uint8Array, at: number, further: number): Uint8Array {
  let from = skipTexts(bytes, at, further - (further % FRONT_BLOCK));
  let text = new Uint8Array(0);
  for (let i = 0; i <= further % FRONT_BLOCK; i++) {
    const shared = readNumber(bytes, from);
    const rest = readNumber(bytes, shared.end);
    const next = new Uint8Array(shared.value + rest.value);
    next.set(text.subarray(0, shared.value));
    next.set(bytes.subarray(rest.end, rest.end + rest.value), shared.value);
    text = next;
    from = rest.end + rest.value;
  }
  return text;
}

/** Whether an encoded domain is a range, which has no dictionary. */
export const isRange = (bytes: Uint8Array): boolean => bytes[0] === 0 && bytes.length === RANGE_BYTES;

/** Bytes of the dictionary proper; a range needs none (its 13 bytes are the column's header). */
export const dictionaryBytes = (domain: Domain, type: DataType): number =>
  domain.kind === 'range' ? 0 : encodeDomain(domain, type).length;
