import type { DataType, Value } from '../values/index.ts';
import type { Domain } from './domain.ts';
import { listDomain, rangeDomain } from './domain.ts';

/**
 * Domains in bytes. First byte: 0 range, 1 texts, 2 whole numbers of 4 bytes, 3 doubles, 4 wide whole numbers as text, 5 booleans.
 * Texts are front-coded: each entry is the length of the prefix shared with the one before, the length of the rest, the rest (UTF-8);
 * every 16th entry starts afresh, so that one entry can be read without all before it. Lengths are LEB128 variable-length integers.
 */
const FRONT_BLOCK = 16;

export function encodeDomain(domain: Domain, type: DataType): Uint8Array {
  if (domain.kind === 'range') {
    const bytes = new Uint8Array(13);
    const view = new DataView(bytes.buffer);
    view.setFloat64(1, domain.first, true);
    view.setUint32(9, domain.size, true);
    return bytes;
  }
  const values = Array.from(domain.values);
  if (type.kind === 'text') return encodeTexts(1, values as string[]);
  if (type.kind === 'boolean') return Uint8Array.from([5, ...values.map((v) => (v ? 1 : 0))]);
  if (type.kind !== 'double' && values.every((v) => typeof v === 'number' && (v | 0) === v)) return encodeNumbers(2, 4, values as number[]);
  if (values.every((v) => typeof v === 'number')) return encodeNumbers(3, 8, values as number[]);
  return encodeTexts(4, values.map(String));
}

function encodeNumbers(tag: number, width: 4 | 8, values: number[]): Uint8Array {
  const bytes = new Uint8Array(1 + values.length * width);
  bytes[0] = tag;
  const view = new DataView(bytes.buffer);
  values.forEach((value, i) => (width === 4 ? view.setInt32(1 + i * 4, value, true) : view.setFloat64(1 + i * 8, value, true)));
  return bytes;
}

function encodeTexts(tag: number, texts: string[]): Uint8Array {
  const encoder = new TextEncoder();
  let out = new Uint8Array(1024);
  let at = 0;
  const room = (n: number) => {
    if (at + n <= out.length) return;
    const larger = new Uint8Array(Math.max(out.length * 2, at + n));
    larger.set(out);
    out = larger;
  };
  const number = (n: number) => {
    room(5);
    while (n >= 0x80) {
      out[at++] = (n & 0x7f) | 0x80;
      n >>>= 7;
    }
    out[at++] = n;
  };
  room(1);
  out[at++] = tag;
  number(texts.length);
  let before: Uint8Array = new Uint8Array(0);
  texts.forEach((text, i) => {
    const bytes = encoder.encode(text);
    let shared = 0;
    if (i % FRONT_BLOCK !== 0) while (shared < bytes.length && shared < before.length && bytes[shared] === before[shared]) shared++;
    number(shared);
    number(bytes.length - shared);
    room(bytes.length - shared);
    out.set(bytes.subarray(shared), at);
    at += bytes.length - shared;
    before = bytes;
  });
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
      return listDomain(Array.from({ length: (bytes.length - 1) / 4 }, (_, i) => view.getInt32(1 + i * 4, true)));
    case 3:
      return listDomain(Array.from({ length: (bytes.length - 1) / 8 }, (_, i) => view.getFloat64(1 + i * 8, true)));
    case 4:
      return listDomain(decodeTexts(bytes).map((text): Value => (Number.isSafeInteger(Number(text)) ? Number(text) : BigInt(text))));
    case 5:
      return listDomain(Array.from(bytes.subarray(1), (b) => b === 1));
    default:
      throw new RangeError(`a dictionary of unknown kind ${bytes[0]}`);
  }
}

function decodeTexts(bytes: Uint8Array): string[] {
  const decoder = new TextDecoder('utf-8', { ignoreBOM: true });
  let at = 1;
  const number = () => {
    let [n, shift] = [0, 0];
    for (;;) {
      const byte = bytes[at++]!;
      n += (byte & 0x7f) * 2 ** shift;
      if (byte < 0x80) return n;
      shift += 7;
    }
  };
  const count = number();
  const texts: string[] = new Array(count);
  let before: Uint8Array = new Uint8Array(0);
  for (let i = 0; i < count; i++) {
    const [shared, rest] = [number(), number()];
    const entry = new Uint8Array(shared + rest);
    entry.set(before.subarray(0, shared));
    entry.set(bytes.subarray(at, at + rest), shared);
    at += rest;
    texts[i] = decoder.decode(entry);
    before = entry;
  }
  return texts;
}

/** Bytes of the dictionary proper; a range needs none (its 13 bytes are the column's header). */
export const dictionaryBytes = (domain: Domain, type: DataType): number =>
  domain.kind === 'range' ? 0 : encodeDomain(domain, type).length;
