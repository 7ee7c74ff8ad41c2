import type { Proposal } from '@crease/core/propose';
import { changedTo, choicesOfUse, decidedUse, textOfUse } from './proposalChoices.ts';

test('each use is named, and its name stands for it', () => {
  for (const name of choicesOfUse('key')) expect(textOfUse(decidedUse(name))).toBe(name);
  expect(textOfUse({ use: 'quantity' })).toBe('quantity, sum');
  expect(textOfUse({})).toBe('attribute');
  expect(decidedUse('nothing of the kind')).toEqual({ use: 'attribute' });
});

test('a use that is not among the choices stays one of them', () => {
  const odd = textOfUse({ use: 'quantity', aggregate: 'distinct' });
  expect(odd).toBe('quantity, distinct');
  expect(choicesOfUse(odd)[0]).toBe(odd);
});

test('of roles and uses it is told what they change to, of other proposals nothing', () => {
  const proposal = (kind: Proposal['kind'], edit: Proposal['edit']): Proposal => ({
    id: 'x',
    kind,
    table: 't',
    says: '',
    evidence: [],
    edit,
  });
  expect(changedTo(proposal('role', [{ do: 'set-table', table: 't', change: { role: 'fact' } }]))).toEqual({
    role: 'fact',
  });
  expect(
    changedTo(
      proposal('use', [
        { do: 'set-column', table: 't', column: 'c', change: { use: 'quantity', aggregate: 'avg' } },
      ]),
    ),
  ).toEqual({ column: 'c', use: 'quantity, avg' });
  expect(changedTo(proposal('key', [{ do: 'set-table', table: 't', change: { key: ['c'] } }]))).toEqual({});
});
