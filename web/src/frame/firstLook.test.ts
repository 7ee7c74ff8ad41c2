import type { JudgedClaim } from '@crease/core/claims';
import type { Model } from '@crease/core/model';
import { chosenClaims, lookSteps, worthKnowing } from './firstLook.ts';

const model: Model = {
  crease: 1,
  name: 'm',
  tables: [],
  measures: [{ name: 'Loans', formula: 'count(loan)' }],
};
const claim = (
  id: string,
  verdict: JudgedClaim['verdict'],
  { weight = 'blocks', against = 1 }: { weight?: JudgedClaim['weight']; against?: number } = {},
) =>
  ({
    id,
    kind: id.split(':')[0]!,
    subject: id.split(':')[1]!,
    says: `says ${id}`,
    verdict,
    weight,
    evidence: { checked: 100, against },
    about: [{ relationship: id.split(':')[1]! }],
  }) as unknown as JudgedClaim;

const CLAIMS = [
  claim('key-filled:a', 'broken', { weight: 'warns', against: 99 }),
  claim('reference-complete:few', 'broken', { against: 2 }),
  claim('reference-complete:many', 'broken', { against: 50 }),
  claim('key-unique:b', 'broken', { against: 7 }),
  claim('cardinality:c', 'holds'),
];

test('what blocks comes first, then what stands against most rows; of each kind one', () => {
  expect(worthKnowing(CLAIMS, 3).map((c) => c.id)).toEqual([
    'reference-complete:many',
    'key-unique:b',
    'key-filled:a',
  ]);
  expect(chosenClaims(CLAIMS)).toEqual(worthKnowing(CLAIMS, 3).map((c) => c.id));
  expect(chosenClaims([])).toEqual([]);
});

test('a model with all that the walk shows is walked through in its order', () => {
  const walk = [
    claim('snapshot-measure:s', 'broken'),
    claim('measure-reach:r', 'broken', { weight: 'warns' }),
    claim('level-single-parent:l', 'broken'),
  ];
  expect(chosenClaims([...CLAIMS, ...walk])).toEqual([
    'reference-complete:few',
    'measure-reach:r',
    'level-single-parent:l',
    'snapshot-measure:s',
  ]);
});

test('steps lead to the claim on its stage, and say what has changed once it holds', () => {
  const before = ['reference-complete:many', 'key-unique:gone', 'key-unique:b'];
  const steps = lookSteps(model, CLAIMS, before, new Set(['storage']));
  expect(steps.map((s) => [s.id, s.seen, s.changed !== undefined])).toEqual([
    ['reference-complete:many', false, false],
    ['key-unique:b', false, false],
    ['key-unique:gone', true, true],
    ['storage', true, false],
    ['trial', false, false],
    ['release', false, false],
  ]);
  expect(steps[0]!.to).toBe('stars?sel=relationship%3Amany&claim=reference-complete%3Amany');
  expect(steps[4]!.to).toContain(encodeURIComponent('"Loans"'));
  const mended = CLAIMS.map((c) =>
    c.id === 'key-unique:b' ? claim('key-unique:b', 'holds', { against: 0 }) : c,
  );
  expect(lookSteps(model, mended, before, new Set())[1]!.changed).toBe(
    'It holds now: 100 checked, none against it.',
  );
});
