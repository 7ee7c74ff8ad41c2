import type { Codes } from '../codes.ts';
import type { Encoding, EncodingName, SegmentStatistics } from './encoding.ts';
import { statisticsOf } from './encoding.ts';
import { blocks } from './blocks.ts';
import { constant } from './constant.ts';
import { delta } from './delta.ts';
import { huffman } from './huffman.ts';
import { packed } from './packed.ts';
import { runs } from './runs.ts';

export type { Encoding, EncodingName } from './encoding.ts';

/** All encodings; on equal size the earlier one is taken. A new encoding is one file and one entry here. */
export const ENCODINGS: readonly Encoding[] = [constant, packed, blocks, runs, delta, huffman];

export interface EncodedSegment {
  readonly encoding: EncodingName;
  readonly rows: number;
  readonly bytes: Uint8Array;
}

/** Rows in a segment. */
export const SEGMENT_ROWS = 1 << 20;

/** Exact bytes of an encoding that can hold some codes. */
export interface CandidateSize {
  readonly encoding: EncodingName;
  readonly bytes: number;
}

/** Of every encoding that can hold the codes, smallest first. */
export const candidateSizes = (codes: Codes): CandidateSize[] => candidatesOf(statisticsOf(codes));

export function candidatesOf(statistics: SegmentStatistics): CandidateSize[] {
  return ENCODINGS.flatMap((e) => {
    const bytes = e.bytes(statistics);
    return bytes === undefined ? [] : [{ encoding: e.name, bytes }];
  }).sort((a, b) => a.bytes - b.bytes);
}

/** The encoding of the fewest bytes, by a plain comparison of exact sizes. */
export function chooseEncoding(statistics: SegmentStatistics): Encoding {
  let best: Encoding | undefined;
  let bestBytes = Infinity;
  for (const encoding of ENCODINGS) {
    const bytes = encoding.bytes(statistics);
    if (bytes !== undefined && bytes < bestBytes) [best, bestBytes] = [encoding, bytes];
  }
  return best!;
}

/** Encodes one segment's codes in the smallest way. */
export function encodeSegment(codes: Codes): EncodedSegment {
  const statistics = statisticsOf(codes);
  const encoding = chooseEncoding(statistics);
  return { encoding: encoding.name, rows: codes.length, bytes: encoding.encode(codes, statistics) };
}

export function decodeSegment(segment: EncodedSegment, out: Codes, from: number): void {
  const encoding = ENCODINGS.find((e) => e.name === segment.encoding);
  if (!encoding) throw new RangeError(`unknown encoding ${segment.encoding}`);
  encoding.decode(segment.bytes, segment.rows, out, from);
}
