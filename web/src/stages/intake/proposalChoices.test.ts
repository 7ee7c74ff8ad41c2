import type { Proposal } from '@crease/core/propose';
import type { Model } from '@crease/core/model';
import { changedTo, choicesOfUse, decidedUse, draftedModel, textOfUse } from './proposalChoices.ts';

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

test('a proposal that the model has by now is passed over, and the others stay', () => {
  const columns = [{ name: 'no', type: 'integer' }];
  const model: Model = {
    crease: 1,
    name: 'm',
    tables: [
      { name: 'loan', role: 'staging', columns },
      { name: 'branch', role: 'staging', columns },
    ],
  };
  const end = (table: string) => ({ table, columns: ['no'] });
  const proposals: Proposal[] = [
    {
      id: 'relationship:loan.no',
      kind: 'relationship',
      table: 'loan',
      says: '',
      evidence: [],
      edit: [
        {
          do: 'put-relationships',
          name: null,
          value: { name: 'loan_branch', from: end('loan'), to: end('branch'), cardinality: 'many-to-one' },
        },
      ],
    },
    {
      id: 'role:loan',
      kind: 'role',
      table: 'loan',
      says: '',
      evidence: [],
      edit: [{ do: 'set-table', table: 'loan', change: { role: 'fact' } }],
    },
  ];
  const once = draftedModel(model, proposals);
  expect([once.relationships?.length, once.tables[0]!.role]).toEqual([1, 'fact']);
  // As another window has accepted them: what is shown is of before, until it is drawn anew.
  expect(draftedModel(once, proposals)).toEqual(once);
});
