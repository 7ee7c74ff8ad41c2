import fc from 'fast-check';
import { compareText, TEXT } from '../values/index.ts';
import type { TextList } from './index.ts';
import { decodeDomain, encodeDomain, listDomain, mergeLists, withEncoder } from './index.ts';
import { cases } from '../../../tools/cases.ts';

const encoder = new TextEncoder();

/**
 * A dictionary as a reader leaves it: texts in order of first appearance have codes, and are sorted by rank.
 */
function listOf(texts: readonly (string | Uint8Array)[]): TextList {
  const sorted = [...texts].sort((a, b) =>
    Buffer.compare(Buffer.from(a as string), Buffer.from(b as string)),
  );
  const parts = sorted.map((text) => (typeof text === 'string' ? encoder.encode(text) : text));
  const bytes = Uint8Array.from(parts.flatMap((part) => [...part]));
  let end = 0;
  const ends = Uint32Array.from(parts, (part) => (end += part.length));
  return {
    size: texts.length,
    byteLength: bytes.length,
    ascii: bytes.every((byte) => byte < 0x80),
    bytes: (from, to) => bytes.subarray(from, to),
    ends: (from, to) => ends.subarray(from, to),
    rank: () => Uint32Array.from(texts, (text) => sorted.indexOf(text)),
  };
}

const merged = (lists: readonly (readonly string[])[], nulls: readonly string[] = []) =>
  withEncoder((arena) => {
    const made = mergeLists(arena, lists.map(listOf), nulls)!;
    const values = decodeDomain(made.encoded);
    const codes = made.tables.map((at, k) => [...arena.words(at, lists[k]!.length)]);
    return {
      size: made.size,
      encoded: made.encoded,
      values: values.kind === 'list' ? Array.from(values.values) : [],
      codes,
    };
  });

/** Texts that share much with each other, some of them beyond ASCII. */
const text = fc.oneof(
  fc.integer({ min: 0, max: 60 }).map((n) => `2025-11-23 ${n}`),
  fc.string({ maxLength: 4, unit: fc.constantFrom('a', 'b', 'é', '\u{1F600}', '') }),
  fc.constantFrom('', 'NA', 'NAB', 'n/a'),
);

test('lists are merged into one ascending dictionary, in which each finds its texts', () => {
  fc.assert(
    fc.property(
      fc.array(fc.uniqueArray(text, { maxLength: 80 }), { maxLength: 6 }),
      fc.subarray(['', 'NA', 'n/a']),
      (lists, nulls) => {
        const { size, encoded, values, codes } = merged(lists, nulls);
        const expected = [...new Set(lists.flat())].filter((t) => !nulls.includes(t)).sort(compareText);
        expect(values).toEqual(expected);
        expect(size).toBe(expected.length);
        expect(encoded).toEqual(encodeDomain(listDomain(expected), TEXT));
        lists.forEach((list, k) =>
          expect(codes[k]!.map((code) => (code === 0 ? null : values[code - 1]))).toEqual(
            list.map((t) => (nulls.includes(t) ? null : t)),
          ),
        );
      },
    ),
    { numRuns: cases(300) },
  );
});

test('lists of many windows, and texts longer than a window, are merged', () => {
  const numbers = (step: number) =>
    Array.from({ length: 70_000 }, (_, i) => `card ${String(i * step).padStart(9, '0')}`);
  const long = ['x', 'x'.repeat(300_000), 'x'.repeat(1_000_000), `${'x'.repeat(300_000)}y`];
  const lists = [numbers(2), [...numbers(3), ...long], long];
  withEncoder((arena) => {
    const made = mergeLists(arena, lists.map(ascendingList), [])!;
    const expected = [...new Set(lists.flat())].sort();
    const { values } = decodeDomain(made.encoded) as { values: ArrayLike<string> };
    expect(made.size).toBe(expected.length);
    expect(expected.every((value, k) => values[k] === value)).toBe(true);
    const last = arena.words(made.tables[1]!, lists[1]!.length);
    expect(lists[1]!.every((value, code) => values[last[code]! - 1] === value)).toBe(true);
  });
});

/** As `listOf`, of ascending ASCII texts. */
function ascendingList(texts: readonly string[]): TextList {
  const all = encoder.encode(texts.join(''));
  let end = 0;
  const ends = Uint32Array.from(texts, (t) => (end += t.length));
  return {
    size: texts.length,
    byteLength: all.length,
    ascii: true,
    bytes: (from, to) => all.subarray(from, to),
    ends: (from, to) => ends.subarray(from, to),
    rank: () => Uint32Array.from(texts, (_, k) => k),
  };
}

test.each([
  ['a lone continuation', [0x80]],
  ['a cut sequence', [0x61, 0xe2, 0x82]],
  ['an over-long form', [0xc0, 0xaf]],
  ['a surrogate', [0xed, 0xa0, 0x80]],
  ['a number beyond U+10FFFF', [0xf4, 0x90, 0x80, 0x80]],
])('a text that is not UTF-8 is left to others: %s', (_, bytes) => {
  withEncoder((arena) =>
    expect(mergeLists(arena, [listOf(['a']), listOf([Uint8Array.from(bytes)])], [])).toBeUndefined(),
  );
});
