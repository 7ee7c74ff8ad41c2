import type { Model } from '@crease/core/model';
import { effectLines } from './PerspectiveEffects.tsx';

const model: Model = {
  crease: 1,
  name: 'm',
  tables: [{ name: 'branch', role: 'dimension', key: ['id'], columns: [{ name: 'id', type: 'integer' }] }],
  hierarchies: [{ name: 'Geography', table: 'branch', levels: [{ name: 'Branch', column: 'id' }] }],
  measures: [{ name: 'Branches', formula: 'count(branch)' }],
  perspectives: [
    { name: 'All', tables: ['branch'], hierarchies: ['branch.Geography'], measures: ['Branches'] },
  ],
};

test('what breaks is said of the perspective; a new name is no loss', () => {
  expect(effectLines(model, [{ do: 'remove-hierarchies', name: 'branch.Geography' }])).toEqual([
    { text: 'All breaks: there is no hierarchy branch.Geography', breaks: true },
  ]);
  expect(effectLines(model, [{ do: 'rename', of: { measure: 'Branches' }, to: 'Houses' }])).toEqual([]);
});

test('an edit that is refused has no effect, and a model without perspectives none to tell', () => {
  expect(effectLines(model, [{ do: 'remove-hierarchies', name: 'branch.None' }])).toEqual([]);
  expect(
    effectLines({ ...model, perspectives: [] }, [{ do: 'remove-hierarchies', name: 'branch.Geography' }]),
  ).toEqual([]);
});
