import { applyEdit } from '../edit/index.ts';
import type { Model } from '../model/index.ts';
import { perspectiveEffects } from './perspectiveEffects.ts';

const column = (name: string) => ({ name, type: 'integer' });
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    { name: 'loan', role: 'fact', columns: [column('branch'), column('fine')] },
    { name: 'branch', role: 'dimension', key: ['branch'], columns: [column('branch'), column('town')] },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['branch'] },
    },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Fines', formula: 'sum(loan.fine)' },
  ],
  perspectives: [
    { name: 'All', tables: ['branch'], measures: ['Loans', 'Fines'] },
    { name: 'Counts', tables: ['branch'], measures: ['Loans'] },
  ],
};
const effects = (...edit: Parameters<typeof applyEdit>[1]) =>
  perspectiveEffects(model, applyEdit(model, edit));

test('a change that a perspective does not see does nothing to it', () => {
  expect(effects({ do: 'set-model', change: { title: 'M' } })).toEqual([]);
});

test('a removed measure is missing where it is shown, and lost where it is taken out as well', () => {
  expect(effects({ do: 'remove-measures', name: 'Fines' })).toMatchObject([
    { perspective: 'All', removed: false, loses: [], breaks: ['there is no measure Fines'] },
  ]);
  const value = { name: 'All', tables: ['branch'], measures: ['Loans'] };
  expect(
    effects({ do: 'remove-measures', name: 'Fines' }, { do: 'put-perspectives', name: 'All', value }),
  ).toMatchObject([{ perspective: 'All', loses: ['Fines'], breaks: [] }]);
});

test('without its relationship a measure has no dimension: each audience is told', () => {
  const found = effects({ do: 'remove-relationships', name: 'loan_branch' });
  expect(found.map((e) => [e.perspective, e.loses, e.breaks.length > 0])).toEqual([
    ['All', [], true],
    ['Counts', [], true],
  ]);
});

test('a hidden column breaks what shows it, and a perspective itself may go', () => {
  const found = effects(
    { do: 'set-table', table: 'branch', change: { hidden: true } },
    { do: 'remove-perspectives', name: 'Counts' },
  );
  expect(found).toMatchObject([
    { perspective: 'All', breaks: ['the table branch is hidden'] },
    { perspective: 'Counts', removed: true },
  ]);
});
