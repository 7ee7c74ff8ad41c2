import { drawnAtOnce } from './InChunks.tsx';

test('lists that are short together are drawn whole; of long ones the rows at the top', () => {
  expect(drawnAtOnce([])).toEqual([]);
  expect(drawnAtOnce([3, 100, 17])).toEqual([3, 100, 17]);
  expect(drawnAtOnce([5, 200, 3])).toEqual([40, 35, 0]);
  expect(drawnAtOnce([14_250])).toEqual([40]);
});
