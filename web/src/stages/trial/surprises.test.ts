import type { QueryState } from '@crease/contract';
import type { JudgedClaim } from '@crease/core/claims';
import { FormulaChecker } from '@crease/core/formula';
import { surprisesOf } from './surprises.ts';

const text = (...names: string[]) => names.map((name) => ({ name, type: 'text' }));
const checker = new FormulaChecker({
  crease: 1,
  name: 'm',
  tables: [
    { name: 'loan', role: 'fact', columns: text('branch', 'card') },
    { name: 'branch', role: 'dimension', key: ['code'], columns: text('code', 'name') },
    { name: 'card', role: 'dimension', key: ['no'], columns: text('no') },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['code'] },
    },
    { name: 'loan_card', from: { table: 'loan', columns: ['card'] }, to: { table: 'card', columns: ['no'] } },
  ],
  measures: [{ name: 'Loans', formula: 'count(loan)' }],
});
const answer = (rows: QueryState['rows'], more: Partial<QueryState> = {}): QueryState => ({
  columns: [
    { name: 'branch.name', type: 'text', kind: 'by' },
    { name: 'Loans', type: 'integer', kind: 'measure' },
  ],
  rows,
  totals: [3],
  unreached: [],
  elapsedMs: 1,
  ...more,
});
const query = { by: ['branch.name'], measures: ['Loans'] };
const claim = (
  id: string,
  about: JudgedClaim['about'],
  verdict: JudgedClaim['verdict'] = 'broken',
): JudgedClaim => ({
  id,
  kind: id.split(':')[0]!,
  subject: id.split(':')[1]!,
  ref: { kind: id.split(':')[0]! },
  says: id,
  weight: 'blocks',
  about,
  verdict,
  evidence: { checked: 1, against: 1 },
  remedies: [],
});
const texts = (state: QueryState, claims: JudgedClaim[] = []) =>
  surprisesOf(state, query, checker, claims).map((s) => s.text);

test('nothing is said of an answer as it should be', () => {
  expect(
    texts(
      answer([
        ['Ash', 1],
        ['Elm', 2],
      ]),
    ),
  ).toEqual([]);
});

test('a total that every row repeats, members that are not there, and equal labels are told', () => {
  expect(
    texts(
      answer([
        ['Ash', 3],
        ['Elm', 3],
      ]),
    )[0],
  ).toMatch(/Each row of Loans is the total/);
  expect(
    texts(
      answer([
        ['Ash', 1],
        [{ unmatched: true }, 2],
      ]),
    ),
  ).toEqual(['Loans: 2 lie with rows that refer to a branch.name which is not there']);
  // Of shares and averages there is no amount to tell.
  const share = answer([
    ['Ash', 0.5],
    [{ unmatched: true }, 0.1],
  ]);
  const double = { ...share, columns: [share.columns[0]!, { ...share.columns[1]!, type: 'double' }] };
  expect(texts(double)).toEqual(['There are rows that refer to a branch.name which is not there']);
  const twice = answer(
    [
      ['Ash', 1],
      ['Ash', 2],
    ],
    { keys: [[['B1']], [['B2']]] },
  );
  expect(texts(twice)[0]).toMatch(/1 label of branch.name stand for several members each, such as Ash/);
  // Where it does not apply there is nothing to repeat.
  expect(
    texts(
      answer(
        [
          ['Ash', 3],
          ['Elm', 3],
        ],
        { unreached: [['Loans', 'branch.name']] },
      ),
    ),
  ).toEqual([]);
});

test('broken claims on its measures, its attributes and the ways between are told, and no others', () => {
  const claims = [
    claim('snapshot-measure:Loans', [{ measure: 'Loans' }]),
    claim('label-unique:branch.name', [{ table: 'branch', column: 'name' }]),
    claim('reference-complete:loan_branch', [{ relationship: 'loan_branch' }]),
    claim('reference-complete:loan_card', [{ relationship: 'loan_card' }]),
    claim('measure-reach:Loans<-card', [{ measure: 'Loans' }, { table: 'card' }, { perspective: 'P' }]),
    claim('cardinality:loan_branch', [{ relationship: 'loan_branch' }], 'holds'),
  ];
  expect(
    texts(
      answer([
        ['Ash', 1],
        ['Elm', 2],
      ]),
      claims,
    ),
  ).toEqual(['snapshot-measure:Loans', 'label-unique:branch.name', 'reference-complete:loan_branch']);
});
