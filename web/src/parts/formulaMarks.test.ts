import fc from 'fast-check';
import { formulaMarks } from './formulaMarks.ts';

const marked = (source: string) =>
  formulaMarks(source).map(({ start, end, kind }) => `${kind} ${source.slice(start, end)}`);

test('words, functions, texts, numbers and comments are marked; names are not', () => {
  expect(marked(`sum(loan.fine) filter (where "sum" = 'it''s' and x > 1.5e3) -- late`)).toEqual([
    'function sum',
    'keyword filter',
    'keyword where',
    "text 'it''s'",
    'keyword and',
    'number 1.5e3',
    'comment -- late',
  ]);
});

test('a comment of several lines is one, and what stands in it is not marked', () => {
  expect(marked('/* sum(\n1 */ count(x)')).toEqual(['comment /* sum(\n1 */', 'function count']);
});

test('whatever is typed, marks stand in order and do not overlap', () => {
  fc.assert(
    fc.property(fc.string({ unit: fc.constantFrom(...'sum(x)\'"-/*1.5 and\n', 'ä', '😀') }), (source) => {
      let at = 0;
      for (const { start, end } of formulaMarks(source)) {
        expect(start).toBeGreaterThanOrEqual(at);
        expect(end).toBeGreaterThan(start);
        at = end;
      }
      expect(at).toBeLessThanOrEqual(source.length);
    }),
  );
});
