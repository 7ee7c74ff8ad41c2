import fc from 'fast-check';
import { columnOfValues } from '../columns/index.ts';
import { INTEGER } from '../values/index.ts';
import { bitsGiven, entropyOfCounts, orderBits, weigh } from './index.ts';

const column = (values: readonly (number | null)[]) => columnOfValues('c', INTEGER, values);

test('entropy of counts: a fair coin is one bit, one of eight is three, one value is none', () => {
  expect(entropyOfCounts([5, 5])).toBeCloseTo(1);
  expect(entropyOfCounts([1, 1, 1, 1, 1, 1, 1, 1, 0])).toBeCloseTo(3);
  expect(entropyOfCounts([0, 9])).toBe(0);
  expect(entropyOfCounts([])).toBe(0);
  // A quarter against three quarters: 0.25 × 2 + 0.75 × log2(4/3).
  expect(entropyOfCounts([1, 3])).toBeCloseTo(0.5 + 0.75 * Math.log2(4 / 3));
});

test('runs and steps see what an order of rows has to tell, the counts of values do not', () => {
  const sorted = column(Array.from({ length: 4096 }, (_, i) => i >> 6));
  expect(entropyOfCounts(sorted.counts)).toBeCloseTo(6);
  // 64 runs of one length, each of its own value: 64 × 6 bits on 4096 rows.
  expect(orderBits(sorted.codes, sorted.size).runs).toBeCloseTo((64 * 6) / 4096);
  const counting = column(Array.from({ length: 4096 }, (_, i) => i));
  expect(orderBits(counting.codes, counting.size).steps).toBe(0);
  expect(entropyOfCounts(counting.counts)).toBeCloseTo(12);
});

test('a column that is a function of another is told by the table of both, a near-unique one explains nothing', () => {
  const town = column(Array.from({ length: 6000 }, (_, i) => (i * 7919) % 30));
  const region = column(Array.from({ length: 6000 }, (_, i) => ((i * 7919) % 30) % 5));
  expect(bitsGiven(region, town)).toBeCloseTo((30 * Math.log2(6)) / 6000);
  const number = column(Array.from({ length: 6000 }, (_, i) => i));
  expect(bitsGiven(region, number)).toBeGreaterThan(entropyOfCounts(region.counts));
});

test('what values need is never above the logarithm of their number, nor above what any way of holding takes', () => {
  const values = fc.array(fc.option(fc.integer({ min: 0, max: 40 }), { freq: 8 }), {
    minLength: 1,
    maxLength: 400,
  });
  fc.assert(
    fc.property(values, (list) => {
      const c = column(list);
      const weight = weigh(c);
      const different = c.distinct + (c.nulls > 0 ? 1 : 0);
      expect(weight.valueBits).toBeLessThanOrEqual(Math.log2(Math.max(1, different)) + 1e-9);
      // Packed and huffman tell values one by one: they cannot go below the entropy.
      for (const { encoding, bytes } of weight.alternatives)
        if (encoding === 'packed' || encoding === 'huffman')
          expect(bytes * 8 + 1e-9).toBeGreaterThanOrEqual(weight.valueBits * list.length);
      expect(weight.alternatives[0]!.bytes).toBe(weight.dataBytes);
      expect(weight.picture!.stripes.reduce((n, s) => n + s.rows, 0)).toBeLessThanOrEqual(list.length);
      expect(weight.picture!.steps[0]).toBeCloseTo(Math.max(...c.counts) / list.length);
    }),
  );
});
