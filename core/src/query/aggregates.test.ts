import fc from 'fast-check';
import { columnOfValues, columnValues } from '../columns/index.ts';
import type { AggregateName } from '../formula/index.ts';
import { AGGREGATES } from '../formula/index.ts';
import type { Value } from '../values/index.ts';
import { decimal, DOUBLE, INTEGER, TEXT } from '../values/index.ts';
import { aggregateGroups, Tuples } from './index.ts';
import { cases } from '../../../tools/cases.ts';

const entries = fc.array(
  fc.record({
    group: fc.integer({ min: -1, max: 3 }),
    x: fc.option(fc.integer({ min: -50, max: 50 })),
    y: fc.option(fc.integer({ min: 0, max: 4 })),
  }),
  { maxLength: 40 },
);
type Entry = { group: number; x: number | null; y: number | null };

/** What the words of the formula language's page say, read literally. */
function naive(aggregate: AggregateName, distinct: boolean, own: readonly Entry[]): Value {
  const xs = own.map((e) => e.x).filter((x): x is number => x !== null);
  const mean = xs.reduce((a, b) => a + b, 0) / xs.length;
  const squares = xs.reduce((a, b) => a + (b - mean) ** 2, 0);
  switch (aggregate) {
    case 'count':
      return distinct ? new Set(xs).size : xs.length;
    case 'sum':
      return xs.length ? xs.reduce((a, b) => a + b, 0) : null;
    case 'avg':
      return xs.length ? mean : null;
    case 'min':
      return xs.length ? Math.min(...xs) : null;
    case 'max':
      return xs.length ? Math.max(...xs) : null;
    case 'median': {
      const sorted = [...xs].sort((a, b) => a - b);
      return xs.length
        ? (sorted[Math.floor((xs.length - 1) / 2)]! + sorted[Math.ceil((xs.length - 1) / 2)]!) / 2
        : null;
    }
    case 'var_pop':
      return xs.length ? squares / xs.length : null;
    case 'var_samp':
      return xs.length > 1 ? squares / (xs.length - 1) : null;
    case 'stddev_pop':
      return xs.length ? Math.sqrt(squares / xs.length) : null;
    case 'stddev_samp':
      return xs.length > 1 ? Math.sqrt(squares / (xs.length - 1)) : null;
    case 'only':
      return new Set(xs).size === 1 ? xs[0]! : null;
    default: {
      const dated = own.filter((e) => e.y !== null);
      if (dated.length === 0) return null;
      const end =
        aggregate === 'latest' ? Math.max(...dated.map((e) => e.y!)) : Math.min(...dated.map((e) => e.y!));
      const last = dated.filter((e) => e.y === end && e.x !== null).map((e) => e.x!);
      return last.length === 0 ? null : aggregate === 'latest' ? Math.max(...last) : Math.min(...last);
    }
  }
}

test.each(AGGREGATES.map((a) => [a]))(
  '%s over codes, and over values, is what it is by definition',
  (aggregate) => {
    fc.assert(
      fc.property(entries, fc.boolean(), fc.boolean(), (list, distinctly, scaled) => {
        const distinct = distinctly && aggregate === 'count';
        const type = scaled ? decimal(9, 1) : INTEGER;
        const column = columnOfValues(
          'x',
          type,
          list.map((e) => e.x),
        );
        const values = columnValues(column);
        const base = {
          aggregate,
          distinct,
          groups: Int32Array.from(list, (e) => e.group),
          groupCount: 5,
          argType: type,
          arg: (i: number) => values[column.codes[i]!]!,
          by: (i: number) => list[i]!.y,
        };
        const scale =
          scaled && !['count', 'sum', 'min', 'max', 'only', 'latest', 'earliest'].includes(aggregate)
            ? aggregate.startsWith('var')
              ? 100
              : 10
            : 1;
        const expected = Array.from({ length: 5 }, (_, g) =>
          naive(
            aggregate,
            distinct,
            list.filter((e) => e.group === g),
          ),
        );
        for (const got of [
          aggregateGroups({ ...base, column, references: undefined }),
          aggregateGroups({ ...base, column, references: Uint32Array.from(list, (_, i) => i + 1) }),
          aggregateGroups(base),
        ]) {
          got.forEach((value, g) =>
            expected[g] === null
              ? expect(value).toBeNull()
              : expect(Number(value)).toBeCloseTo(Number(expected[g]) / scale, 9),
          );
        }
      }),
      { numRuns: cases(80) },
    );
  },
);

test('sums stay exact beyond 2^53', () => {
  const big = 2 ** 52 + 1;
  const column = columnOfValues('x', INTEGER, [big, big, big, 9007199254740993n]);
  const values = columnValues(column);
  const sum = aggregateGroups({
    aggregate: 'sum',
    distinct: false,
    groups: new Int32Array(4),
    groupCount: 1,
    argType: INTEGER,
    arg: (i) => values[column.codes[i]!]!,
    column,
    references: undefined,
  });
  expect(BigInt(sum[0] as bigint)).toBe(3n * BigInt(big) + 9007199254740993n);
});

test('texts have a least and a greatest by code point; doubles are added as they are', () => {
  const texts = columnOfValues('t', TEXT, ['é', 'Z', 'a']);
  const arg = (i: number) => columnValues(texts)[texts.codes[i]!]!;
  const ends = (['min', 'max'] as const).map(
    (aggregate) =>
      aggregateGroups({
        aggregate,
        distinct: false,
        groups: new Int32Array(3),
        groupCount: 1,
        argType: TEXT,
        arg,
        column: texts,
        references: undefined,
      })[0],
  );
  expect(ends).toEqual(['Z', 'é']);
  expect(
    aggregateGroups({
      aggregate: 'sum',
      distinct: false,
      groups: new Int32Array(2),
      groupCount: 1,
      argType: DOUBLE,
      arg: (i) => [0.5, 0.25][i]!,
    }),
  ).toEqual([0.75]);
});

test('tuples are numbered alike whether they fit one number or not', () => {
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.nat(9), fc.nat(9), fc.nat(9)), { maxLength: 50 }), (list) => {
      const narrow = new Tuples([10, 10, 10]);
      const wide = new Tuples([2 ** 30, 2 ** 30, 2 ** 30]);
      const seen: string[] = [];
      for (const tuple of list) {
        const key = tuple.join();
        if (!seen.includes(key)) seen.push(key);
        expect(narrow.add((p) => tuple[p]!)).toBe(seen.indexOf(key));
        expect(wide.add((p) => tuple[p]!)).toBe(seen.indexOf(key));
      }
      expect([narrow.size, wide.find(() => 99)]).toEqual([seen.length, -1]);
      expect(narrow.codes.map((codes) => codes.join())).toEqual(
        [0, 1, 2].map((p) => seen.map((key) => key.split(',')[p]).join()),
      );
    }),
  );
});
