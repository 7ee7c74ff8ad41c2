import type { Encoding, SegmentStatistics } from './encoding.ts';
import { inDecoder } from './decoder.ts';
import { plainPacker, writer } from './encoding.ts';

const HEADER = 6; // minimum (4 bytes), how many codes the lengths are of (2)

/** Lengths go into four bits each. */
const LONGEST = 15;
/** Codes of a wider span are not worth a table. */
const MOST_SYMBOLS = 1 << 12;

interface Lengths {
  readonly lengths: Uint8Array;
  readonly bits: number;
}

const known = new WeakMap<SegmentStatistics, Lengths | null>();

function lengthsOf(statistics: SegmentStatistics): Lengths | null {
  let made = known.get(statistics);
  if (made === undefined) known.set(statistics, (made = measure(statistics)));
  return made;
}

function measure(statistics: SegmentStatistics): Lengths | null {
  const { smallest, largest } = statistics;
  if (smallest >= largest || largest - smallest >= MOST_SYMBOLS) return null;
  const frequencies = statistics.frequencies();
  const lengths = codeLengths(frequencies);
  return { lengths, bits: frequencies.reduce((sum, count, symbol) => sum + count * lengths[symbol]!, 0) };
}

/**
 * Codes of few bits for what stands often, and of many for what is rare: small where one value is frequent
 * without standing in runs. Canonical codes, of which only the lengths are kept, least significant bit first.
 * Source: D. A. Huffman, A Method for the Construction of Minimum-Redundancy Codes, Proceedings of the IRE 40
 * (1952).
 */
export const huffman: Encoding = {
  name: 'huffman',
  bytes: (statistics) => {
    const made = lengthsOf(statistics);
    return made ? HEADER + Math.ceil(made.lengths.length / 2) + Math.ceil(made.bits / 8) : undefined;
  },
  encode: (codes, statistics, packer = plainPacker(codes)) => {
    const { lengths } = lengthsOf(statistics)!;
    const bytes = new Uint8Array(huffman.bytes(statistics)!);
    const view = writer(bytes);
    view.setUint32(0, statistics.smallest, true);
    view.setUint16(4, lengths.length, true);
    lengths.forEach((length, symbol) => (bytes[HEADER + (symbol >> 1)]! |= length << (4 * (symbol & 1))));
    packer.coded(
      statistics.count,
      statistics.smallest,
      lengths,
      canonicalCodes(lengths),
      bytes,
      HEADER + Math.ceil(lengths.length / 2),
    );
    return bytes;
  },
  decode: (bytes, count, out, from) => {
    const view = writer(bytes);
    const smallest = view.getUint32(0, true);
    const lengths = Uint8Array.from(
      { length: view.getUint16(4, true) },
      (_, symbol) => (bytes[HEADER + (symbol >> 1)]! >> (4 * (symbol & 1))) & 15,
    );
    const { table, longest } = decodingTable(lengths);
    const codesAt = HEADER + Math.ceil(lengths.length / 2);
    const isDone = inDecoder(
      bytes,
      count,
      out,
      from,
      table.length,
      ({ kernel, words, write, ...segment }) => {
        write(table);
        kernel.decode(segment.bytes + codesAt, words, longest, smallest, count, segment.out, segment.size);
      },
    );
    if (isDone) return;
    const mask = (1 << longest) - 1;
    let at = codesAt;
    let [held, bits] = [0, 0];
    for (let i = from; i < from + count; i++) {
      while (bits < longest && at < bytes.length) {
        held |= bytes[at++]! << bits;
        bits += 8;
      }
      const entry = table[held & mask]!;
      const length = entry & 15;
      out[i] = (entry >>> 4) + smallest;
      held >>>= length;
      bits -= length;
    }
  },
};

/** By what the next bits are: the symbol and, in the lowest four bits, how many of them are its code. */
function decodingTable(lengths: Uint8Array): { table: Uint32Array; longest: number } {
  const longest = lengths.reduce((most, length) => Math.max(most, length), 0);
  const codes = canonicalCodes(lengths);
  const table = new Uint32Array(1 << longest);
  lengths.forEach((length, symbol) => {
    if (length === 0) return;
    for (let bits = codes[symbol]!; bits < table.length; bits += 1 << length)
      table[bits] = (symbol << 4) | length;
  });
  return { table, longest };
}

/**
 * The codes that belong to lengths, by symbol: ascending by length, then by symbol, turned round for reading
 * the lowest bit first.
 */
function canonicalCodes(lengths: Uint8Array): Uint16Array {
  const perLength = new Uint32Array(LONGEST + 2);
  for (const length of lengths) perLength[length]!++;
  perLength[0] = 0;
  const next = new Uint32Array(LONGEST + 2);
  for (let length = 1; length <= LONGEST; length++)
    next[length] = (next[length - 1]! + perLength[length - 1]!) << 1;
  return Uint16Array.from(lengths, (length) => (length === 0 ? 0 : turnedRound(next[length]!++, length)));
}

function turnedRound(code: number, length: number): number {
  let turned = 0;
  for (let bit = 0; bit < length; bit++) turned |= ((code >> bit) & 1) << (length - 1 - bit);
  return turned;
}

/**
 * Lengths of the codes by symbol, 0 for one that does not occur. Where one would be too long, frequencies are
 * brought closer together.
 */
export function codeLengths(frequencies: Uint32Array): Uint8Array {
  for (let counts = frequencies; ; counts = counts.map((count) => (count === 0 ? 0 : (count >>> 1) | 1))) {
    const lengths = treeDepths(counts);
    if (lengths.every((length) => length <= LONGEST)) return lengths;
  }
}

/**
 * Depths in the tree of least cost: leaves ascending in one queue, trees made of them in another, the two
 * least joined each time.
 */
function treeDepths(frequencies: Uint32Array): Uint8Array {
  const symbols = [...frequencies.keys()]
    .filter((symbol) => frequencies[symbol]! > 0)
    .sort((a, b) => frequencies[a]! - frequencies[b]!);
  const lengths = new Uint8Array(frequencies.length);
  if (symbols.length === 1) lengths[symbols[0]!] = 1;
  if (symbols.length < 2) return lengths;
  const weights = symbols.map((symbol) => frequencies[symbol]!);
  const parents: number[] = [];
  let [leaf, tree] = [0, symbols.length];
  const least = () =>
    tree >= weights.length || (leaf < symbols.length && weights[leaf]! <= weights[tree]!) ? leaf++ : tree++;
  while (weights.length < 2 * symbols.length - 1) {
    const [a, b] = [least(), least()];
    parents[a] = parents[b] = weights.length;
    weights.push(weights[a]! + weights[b]!);
  }
  const depths = new Uint8Array(weights.length);
  for (let node = weights.length - 2; node >= 0; node--) depths[node] = depths[parents[node]!]! + 1;
  symbols.forEach((symbol, k) => (lengths[symbol] = depths[k]!));
  return lengths;
}
