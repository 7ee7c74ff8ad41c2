import fc from 'fast-check';
import { layersOf } from './periodParts.ts';

const calendar = { table: 'calendar', day: 'day' };
const DAYS = 40;
const setOf = (days: readonly number[]): Uint8Array => {
  const keeps = new Uint8Array(DAYS + 1);
  for (const day of days) keeps[day + 1] = 1;
  return keeps;
};
const sets = fc.array(fc.array(fc.integer({ min: 0, max: DAYS - 1 }), { maxLength: 12 }).map(setOf), {
  minLength: 1,
  maxLength: 10,
});

test('each set is the days of its code on its layer, and no other', () => {
  fc.assert(
    fc.property(sets, (asked) => {
      const { layers, placeOf } = layersOf(asked, calendar);
      asked.forEach((keeps, k) => {
        const { layer, code } = placeOf[k]!;
        const { axis, keeps: all } = layers[layer]!;
        expect(Array.from(axis.codes, (c) => (c === code ? 1 : 0))).toEqual([...keeps.subarray(1)]);
        expect(code).toBeLessThan(axis.width);
        expect([...all.subarray(1)]).toEqual(Array.from(axis.codes, (c) => (c === 0 ? 0 : 1)));
        expect(all[0]).toBe(0);
      });
    }),
  );
});

test('months that follow each other are one layer, months to date one for each that a day is in', () => {
  const months = [0, 10, 20, 30].map((from) => setOf(Array.from({ length: 10 }, (_, i) => from + i)));
  expect(layersOf(months, calendar).layers).toHaveLength(1);
  expect(layersOf([...months, ...months], calendar).layers).toHaveLength(1);
  const toDate = [5, 10, 15].map((to) => setOf(Array.from({ length: to }, (_, i) => i)));
  expect(layersOf(toDate, calendar).layers).toHaveLength(3);
});
