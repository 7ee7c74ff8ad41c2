import fc from 'fast-check';
import type { Value } from '../values/index.ts';
import {
  DATE,
  decimal,
  DOUBLE,
  INTEGER,
  TEXT,
  BOOLEAN,
  compareText,
  compareValues,
} from '../values/index.ts';
import type { CellsToCodes } from './index.ts';
import {
  candidateSizes,
  changedColumn,
  codeOfValue,
  CodeStream,
  codesArray,
  columnOfValues,
  countCodes,
  columnValues,
  combineColumns,
  decodeDomain,
  decodeSegment,
  encodeDomain,
  encodeSegment,
  ENCODINGS,
  listDomain,
  mapCodes,
  numberCombinations,
  NumberSet,
  valueAt,
  valuesOfCodes,
  withEncoder,
} from './index.ts';
import { statisticsOf } from './encodings/encoding.ts';
import { codeLengths } from './encodings/huffman.ts';
import { expectSame } from '../../../tools/same.ts';
import { cases } from '../../../tools/cases.ts';

const codeArrays = fc
  .oneof(
    fc.array(fc.nat(3), { maxLength: 3000 }),
    fc
      .array(fc.nat(9), { maxLength: 3000 })
      .map((steps) =>
        steps.map((_, i) => steps.slice(Math.max(0, i - 50), i).reduce((a, b) => a + b, i * 10)),
      ),
    fc.array(fc.nat(100_000), { maxLength: 3000 }),
    fc.array(fc.integer({ min: 0, max: 0xffffffff }), { maxLength: 50 }),
    fc
      .array(fc.tuple(fc.nat(50), fc.integer({ min: 1, max: 200 })), { maxLength: 30 })
      .map((runs) => runs.flatMap(([v, n]) => Array<number>(n).fill(v))),
  )
  .filter((codes) => codes.length > 0)
  .map((codes) => Uint32Array.from(codes));

test.each(ENCODINGS.map((e) => [e.name, e] as const))(
  '%s: decode gives back what was encoded, at the size announced',
  (_name, encoding) => {
    fc.assert(
      fc.property(codeArrays, (codes) => {
        const statistics = statisticsOf(codes);
        const announced = encoding.bytes(statistics);
        if (announced === undefined) return;
        const bytes = encoding.encode(codes, statistics);
        expect(bytes.length).toBe(announced);
        const out = new Uint32Array(codes.length + 2);
        encoding.decode(bytes, codes.length, out, 1);
        expectSame(out.subarray(1, codes.length + 1), codes);
      }),
      { numRuns: cases(60) },
    );
  },
);

test('codes of few bits go to what stands often, none is longer than 15 bits, and no two are alike', () => {
  const fibonacci = Array.from({ length: 24 }).reduce<number[]>(
    (list) => [...list, (list.at(-1) ?? 1) + (list.at(-2) ?? 0)],
    [],
  );
  fc.assert(
    fc.property(
      fc.oneof(fc.constant(fibonacci), fc.array(fc.nat(2000), { minLength: 2, maxLength: 300 })),
      (counts) => {
        const frequencies = Uint32Array.from(counts);
        const lengths = codeLengths(frequencies);
        const used = [...lengths.keys()].filter((symbol) => lengths[symbol]! > 0);
        expect(used).toEqual([...counts.keys()].filter((symbol) => counts[symbol]! > 0));
        expect(Math.max(0, ...lengths)).toBeLessThanOrEqual(15);
        // Kraft's sum is 1 for a full tree.
        if (used.length > 1) expect(used.reduce((sum, symbol) => sum + 2 ** -lengths[symbol]!, 0)).toBe(1);
        for (const a of used)
          for (const b of used.slice(0, 20))
            if (counts[a]! > 2 * counts[b]!) expect(lengths[a]).toBeLessThanOrEqual(lengths[b]!);
      },
    ),
    { numRuns: cases(100) },
  );
  const skewed = Uint32Array.from(
    fibonacci.slice(0, 18).flatMap((count, symbol) => Array<number>(count).fill(symbol)),
  );
  const { encoding, bytes } = encodeSegment(skewed.map((_, i) => skewed[(i * 4001) % skewed.length]!));
  expect([encoding, bytes.length < skewed.length * 0.4]).toEqual(['huffman', true]);
});

test('the smallest candidate is the one that is taken', () => {
  fc.assert(
    fc.property(codeArrays, (codes) => {
      const segment = encodeSegment(codes);
      expect(segment.bytes.length).toBe(candidateSizes(codes)[0]!.bytes);
      const out = codesArray(0xffffffff, codes.length);
      decodeSegment(segment, out, 0);
      expectSame(out, codes);
    }),
    { numRuns: cases(60) },
  );
});

/** Codes of many rows: those of few are decoded and combined without a kernel. */
const longCodes = fc
  .tuple(codeArrays, fc.integer({ min: 1, max: 4 }), fc.constantFrom(0xff, 0xffff, 0xffffffff))
  .filter(([codes]) => codes.length > 0)
  .map(([codes, times, largest]) => {
    const long = codesArray(largest, Math.min(20_000, codes.length * times * 300));
    for (let row = 0; row < long.length; row++)
      long[row] = codes[(row * (1 + (row >> 12))) % codes.length]! % (largest + 1);
    return long;
  });

test('every encoding gives back segments of many rows, into codes of every width and from any row', () => {
  fc.assert(
    fc.property(longCodes, fc.nat(9), (codes, from) => {
      const statistics = statisticsOf(codes);
      for (const encoding of ENCODINGS) {
        if (encoding.bytes(statistics) === undefined) continue;
        const bytes = encoding.encode(codes, statistics);
        const out = codesArray(statistics.largest, codes.length + from);
        encoding.decode(bytes, codes.length, out, from);
        expect([encoding.name, out.subarray(from).every((code, row) => code === codes[row])]).toEqual([
          encoding.name,
          true,
        ]);
        expect(out.subarray(0, from).every((code) => code === 0)).toBe(true);
      }
    }),
    { numRuns: cases(40) },
  );
});

test('combinations are numbered as a plain loop numbers them, and codes mapped and counted so', () => {
  fc.assert(
    fc.property(longCodes, longCodes, (first, second) => {
      const rows = Math.min(first.length, second.length);
      const columns = [first, second].map((codes) => {
        const few = codes.slice(0, rows).map((code) => code % 60);
        return { codes: few, size: 61 };
      });
      const numberOf = new Map<string, number>();
      const asked: number[] = [];
      const numbers = numberCombinations(columns, rows, (row) => {
        asked.push(row);
        return asked.length % 7;
      });
      const expected = Array.from({ length: rows }, (_, row) => {
        const key = columns.map((c) => c.codes[row]).join(' ');
        if (!numberOf.has(key)) numberOf.set(key, (numberOf.size + 1) % 7);
        return numberOf.get(key)!;
      });
      expect(asked.length).toBe(numberOf.size);
      expect(numbers.every((number, row) => number === expected[row])).toBe(true);
      const table = Uint32Array.from({ length: 7 }, (_, k) => 250 + k);
      const out = codesArray(0xffff, rows);
      mapCodes(numbers, table, out);
      expect(out.every((code, row) => code === 250 + expected[row]!)).toBe(true);
      expect([...countCodes(6, numbers)]).toEqual(
        Array.from({ length: 7 }, (_, k) => expected.filter((n) => n === k).length),
      );
    }),
    { numRuns: cases(25) },
  );
});

const typed = fc.oneof(
  fc
    .array(fc.option(fc.string({ unit: 'binary' }).filter((s) => s.isWellFormed())))
    .map((values) => ({ type: TEXT, values: values as Value[] })),
  fc.array(fc.option(fc.integer())).map((values) => ({ type: INTEGER, values: values as Value[] })),
  fc
    .array(fc.option(fc.bigInt({ min: 2n ** 60n, max: 2n ** 62n })))
    .map((values) => ({ type: INTEGER, values: values as Value[] })),
  fc
    .array(fc.option(fc.integer({ min: 0, max: 500 })))
    .map((values) => ({ type: DATE, values: values as Value[] })),
  fc.array(fc.option(fc.integer())).map((values) => ({ type: decimal(12, 2), values: values as Value[] })),
  fc
    .array(fc.option(fc.double({ noNaN: true, noDefaultInfinity: true }).map((d) => d + 0)))
    .map((values) => ({ type: DOUBLE, values: values as Value[] })),
  fc.array(fc.option(fc.boolean())).map((values) => ({ type: BOOLEAN, values: values as Value[] })),
);

test('a column gives back its values, its statistics agree with them, and its domain survives storage', () => {
  fc.assert(
    fc.property(typed, ({ type, values }) => {
      const column = columnOfValues('c', type, values);
      expect(values.map((_, row) => valueAt(column, row))).toEqual(values);
      expect(column.nulls).toBe(values.filter((v) => v === null).length);
      expect(column.distinct).toBe(new Set(values.filter((v) => v !== null)).size);
      const back = decodeDomain(encodeDomain(column.domain, type));
      const decoded = columnValues(changedColumn(column, { domain: back }));
      expectSame(decoded, columnValues(column));
      for (const value of values)
        expect(columnValues(column)[codeOfValue(column.domain, value)]).toEqual(value);
    }),
    { numRuns: cases(200) },
  );
});

test('parts of a column are read as one column over all of their rows', () => {
  const ranges = fc.array(fc.option(fc.integer({ min: -50, max: 50 })), { maxLength: 30 });
  const far = fc.array(fc.option(fc.integer()), { maxLength: 30 });
  const parts = fc.oneof(
    fc
      .array(fc.oneof(ranges, far), { minLength: 1, maxLength: 4 })
      .map((lists) => ({ type: INTEGER, lists: lists as Value[][] })),
    fc
      .array(fc.array(fc.option(fc.constantFrom('a', 'b', 'é', '\u{1F600}', ''))), {
        minLength: 1,
        maxLength: 4,
      })
      .map((lists) => ({ type: TEXT, lists: lists as Value[][] })),
  );
  fc.assert(
    fc.property(parts, ({ type, lists }) => {
      const whole = columnOfValues('c', type, lists.flat());
      const combined = combineColumns(
        'c',
        lists.map((values) => columnOfValues('c', type, values)),
      );
      const rows = (column: typeof whole) =>
        Array.from({ length: column.rowCount }, (_, row) => valueAt(column, row));
      expectSame(rows(combined), rows(whole));
      const facts = ({ distinct, nulls, runs }: typeof whole) => ({ distinct, nulls, runs });
      expectSame(facts(combined), facts(whole));
      expect(Array.from(combined.counts)).toEqual(
        Array.from(countCodes(combined.domain.size, combined.codes)),
      );
      const values = columnValues(combined).slice(1);
      expect(values.every((v, k) => k === 0 || compareValues(values[k - 1]!, v) < 0)).toBe(true);
    }),
    { numRuns: cases(200) },
  );
});

test('a dictionary of several megabytes, with characters of every length, is decoded as it was', () => {
  const texts = Array.from(
    { length: 200_000 },
    (_, k) => `${String(k).padStart(7, '0')} ${'aé\uFF5E\u{1F600}'.slice(0, 2 + (k % 4)).toWellFormed()}`,
  );
  const domain = listDomain(texts);
  const back = decodeDomain(encodeDomain(domain, TEXT)) as { values: ArrayLike<string> };
  expect(texts.every((text, k) => back.values[k] === text)).toBe(true);
});

test('codes of text compare by code point, also beyond the basic plane', () => {
  const column = columnOfValues('c', TEXT, ['\u{1F600}', '\uFF5E', 'é', 'a', 'Z', '0']);
  expect(columnValues(column).slice(1)).toEqual(['0', 'Z', 'a', 'é', '\uFF5E', '\u{1F600}']);
  expect(compareText('\u{1F600}', '\uFF5E')).toBe(1);
});

test('a stream of codes packs segments as the plain encoder does, and counts what it met', () => {
  fc.assert(
    fc.property(codeArrays, fc.constantFrom(1, 700, 1024, 5000), (codes, stretch) => {
      const given: ReturnType<typeof encodeSegment>[] = [];
      const size = codes.every((code) => code < 200_000) ? Math.max(...codes) : undefined;
      const found = withEncoder((arena) => {
        const stream = new CodeStream(arena, codes.length, stretch, size, (made) =>
          given.push(made.encode()),
        );
        stream.pushCodes(codes.length, (out, from) => out.set(codes.subarray(from, from + out.length)));
        return stream.finish();
      });
      const stretches = Array.from({ length: Math.ceil(codes.length / stretch) }, (_, k) =>
        codes.subarray(k * stretch, (k + 1) * stretch),
      );
      expectSame(given, stretches.map(encodeSegment));
      const whole = statisticsOf(codes);
      expectSame(
        { ...found, counts: found.counts && Array.from(found.counts) },
        {
          nulls: codes.filter((code) => code === 0).length,
          runs: whole.runs,
          counts: size === undefined ? undefined : Array.from(countCodes(size, codes)),
        },
      );
    }),
    { numRuns: cases(40) },
  );
});

test.each([Uint8Array, Uint16Array, Uint32Array])(
  'cells of each width are brought to codes by table, by shift and by rank',
  (Cells) => {
    const cells = Cells.of(0, 3, 1, 200, 3);
    withEncoder((arena) => {
      const set = new NumberSet(arena, 300);
      set.add(cells, 50);
      expect(set.close()).toBe(3);
      expect([...set.members(3, 1000)]).toEqual([1050, 1052, 1249]);
      const table = arena.put(Uint32Array.from({ length: 201 }, (_, cell) => cell * 10));
      const codesBy = (to: CellsToCodes) => {
        const made: number[] = [];
        const stream = new CodeStream(arena, cells.length, 2, undefined, ({ codes }) => made.push(...codes));
        stream.push(cells, to);
        stream.finish();
        return made;
      };
      expect(codesBy({ kind: 'table', at: table })).toEqual([0, 30, 10, 2000, 30]);
      expect(codesBy({ kind: 'shift', shift: 50 })).toEqual([0, 53, 51, 250, 53]);
      expect(codesBy({ kind: 'rank', set, shift: 50 })).toEqual([0, 2, 1, 3, 2]);
    });
  },
);

test('the values of a few codes are those that decoding the whole dictionary gives', () => {
  const texts = fc.oneof(
    fc.string({ unit: 'binary' }),
    fc.string({ unit: fc.constantFrom('a', 'b', 'é', '\u{1F4DA}'), maxLength: 300 }),
  );
  const values = fc.oneof(
    fc
      .array(fc.option(texts.filter((t) => t.isWellFormed())), { maxLength: 90 })
      .map((list) => [TEXT, list] as const),
    fc.array(fc.option(fc.integer()), { maxLength: 40 }).map((list) => [INTEGER, list] as const),
    fc.array(fc.option(fc.double({ noNaN: true })), { maxLength: 40 }).map((list) => [DOUBLE, list] as const),
  );
  fc.assert(
    fc.property(values, fc.array(fc.nat(1000), { maxLength: 12 }), ([type, list], picks) => {
      const column = columnOfValues('x', type, list as Value[]);
      const bytes = encodeDomain(column.domain, type);
      const codes = picks.map((pick) => pick % (column.domain.size + 1));
      expect(valuesOfCodes(bytes, codes)).toEqual(codes.map((code) => columnValues(column)[code]));
      expect(column.valuesOf(codes)).toEqual(codes.map((code) => columnValues(column)[code]));
    }),
  );
});

test('the values of a few codes of a dictionary of many texts are those of decoding all, in any order', () => {
  const texts = Array.from({ length: 5000 }, (_, i) => `${'receipt '.repeat(i % 40 === 0 ? 30 : 1)}${i}`);
  const column = columnOfValues('x', TEXT, texts);
  const bytes = encodeDomain(column.domain, TEXT);
  const all = columnValues(column);
  for (const codes of [[4999, 3, 1024, 1025, 0, 2048, 2049], [1], [5000, 5000, 1]])
    expect(valuesOfCodes(bytes, codes)).toEqual(codes.map((code) => all[code]));
  expect(column.valuesAt([7, 7, 4999])).toEqual([texts[7], texts[7], texts[4999]]);
});
