import { goalState } from './goals.ts';

test.each<[string, Parameters<typeof goalState>, number]>([
  ['at its goal', [{ value: 100 }, 100, 100], 1],
  ['below it', [{ value: 100 }, 99.9, 100], 0],
  ['between two bands', [{ value: 100, bands: [0.9, 1] }, 90, 100], 1],
  ['where less is better, at the goal', [{ value: 100, bands: [1, 1.1], good: 'low' }, 100, 100], 2],
  ['where less is better, a little above', [{ value: 100, bands: [1, 1.1], good: 'low' }, 109, 100], 1],
  ['where less is better, far above', [{ value: 100, bands: [1, 1.1], good: 'low' }, 111, 100], 0],
  ['a goal below zero', [{ value: -100, bands: [0.9, 1] }, -105, -100], 1],
  ['a goal of nothing', [{ value: 0, bands: [0.9, 1] }, 0, 0], 2],
])('the state of a value: %s', (_name, [goal, value, target], state) => {
  expect(goalState(goal, value, target)).toBe(state);
});
