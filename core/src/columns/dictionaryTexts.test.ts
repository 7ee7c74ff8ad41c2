import fc from 'fast-check';
import { compareText, TEXT } from '../values/index.ts';
import type { Value } from '../values/index.ts';
import type { Column } from './index.ts';
import {
  columnCutter,
  columnOfValues,
  columnValues,
  combineColumns,
  compacted,
  decodeDomain,
  DictionaryTexts,
  encodeDomain,
  listDomain,
  mergeLists,
  textsOfCodes,
  withEncoder,
} from './index.ts';

/** Texts that share much with each other, some beyond ASCII, some longer than others. */
const text = fc.oneof(
  fc.integer({ min: 0, max: 5000 }).map((n) => `2025-11-23 ${n}`),
  fc.string({ maxLength: 4, unit: fc.constantFrom('a', 'b', 'é', '\u{1F600}', '') }),
  fc.integer({ min: 0, max: 400 }).map((n) => 'x'.repeat(n)),
);
const rows = fc.array(fc.option(text, { freq: 6 }), { maxLength: 120 });
const valuesOf = (column: Column): Value[] =>
  Array.from(column.codes, (code: number) => columnValues(column)[code]!);

const encoded = (texts: readonly string[]) => encodeDomain(listDomain(texts), TEXT);

test('some texts of a dictionary are one, whatever lies between them', () => {
  fc.assert(
    fc.property(
      fc.uniqueArray(text, { minLength: 1, maxLength: 200 }),
      fc.infiniteStream(fc.boolean()),
      (texts, draws) => {
        const sorted = [...texts].sort(compareText);
        const codes = sorted.flatMap((_, k) => (draws.next().value ? [k + 1] : []));
        expect(textsOfCodes(encoded(sorted), codes)).toEqual(encoded(codes.map((code) => sorted[code - 1]!)));
      },
    ),
  );
});

test('of very many texts a few are taken, near to each other and far apart', () => {
  const texts = Array.from(
    { length: 50_000 },
    (_, i) => `card ${String(i * 3).padStart(7, '0')}${'y'.repeat(i % 300)}`,
  );
  const whole = encoded(texts);
  for (const codes of [[1], [50_000], [17, 18, 33, 1024, 1025, 40_000], [2, 49_999], []])
    expect(textsOfCodes(whole, codes)).toEqual(encoded(codes.map((code) => texts[code - 1]!)));
});

test('dictionaries of many windows are merged as their texts would be', () => {
  const numbers = (count: number, step: number) =>
    Array.from({ length: count }, (_, i) => `card ${String(i * step).padStart(9, '0')}`);
  const long = ['x', 'x'.repeat(300_000), `${'x'.repeat(300_000)}y`];
  const lists = [numbers(70_000, 2), [...numbers(90_000, 3), ...long], [], long];
  const expected = [...new Set(lists.flat())].sort(compareText);
  withEncoder((arena) => {
    const made = mergeLists(
      arena,
      lists.map((list) => new DictionaryTexts(encoded(list))),
      [],
    )!;
    const { values } = decodeDomain(made.encoded) as { values: ArrayLike<string> };
    expect(made.size).toBe(expected.length);
    expect(expected.every((value, k) => values[k] === value)).toBe(true);
    lists.forEach((list, k) => {
      const codes = arena.words(made.tables[k]!, list.length);
      expect(list.every((value, place) => values[codes[place]! - 1] === value)).toBe(true);
    });
  });
});

test('a column is cut into parts that hold what occurs in them, and the parts make the column again', () => {
  fc.assert(
    fc.property(rows, fc.integer({ min: 1, max: 4 }), (values, count) => {
      const whole = columnOfValues('c', TEXT, values);
      const cut = columnCutter(whole);
      const numbers = Array.from({ length: count }, (_, part) =>
        Uint32Array.from(values.keys()).filter((row) => row % count === part),
      );
      const parts = numbers.map((own) => cut(own));
      parts.forEach((part, k) => {
        const plain = columnOfValues(
          'c',
          TEXT,
          [...numbers[k]!].map((row) => values[row]!),
        );
        expect(valuesOf(part)).toEqual(valuesOf(plain));
        expect(part.encodedDomain()).toEqual(plain.encodedDomain());
        expect([part.size, part.distinct, part.nulls, part.runs]).toEqual([
          plain.size,
          plain.distinct,
          plain.nulls,
          plain.runs,
        ]);
        expect([...part.counts]).toEqual([...plain.counts]);
        expect(compacted(part)).toBe(part);
      });
      const together = combineColumns('c', parts);
      const plain = columnOfValues('c', TEXT, parts.flatMap(valuesOf));
      expect(valuesOf(together)).toEqual(valuesOf(plain));
      expect(together.encodedDomain()).toEqual(plain.encodedDomain());
      expect([
        together.size,
        together.distinct,
        together.nulls,
        together.runs,
        together.dictionaryBytes,
      ]).toEqual([plain.size, plain.distinct, plain.nulls, plain.runs, plain.dictionaryBytes]);
      expect([...together.counts]).toEqual([...plain.counts]);
    }),
  );
});
