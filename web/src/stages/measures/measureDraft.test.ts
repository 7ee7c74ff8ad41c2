import { draftOf, isTouched, sameMeasure, withNewest } from './measureDraft.ts';

const loans = { name: 'Loans', formula: 'count(loan)', format: { decimals: 0, unit: 'x' } };
const typed = { ...draftOf(loans), measure: { ...loans, formula: 'count(loan) + ' } };

test('an edit elsewhere in the model leaves what is typed, also where all objects are new', () => {
  const again = {
    formula: 'count(loan)',
    format: { unit: 'x', decimals: 0 },
    name: 'Loans',
    folder: undefined,
  };
  expect(sameMeasure(loans, again)).toBe(true);
  expect(withNewest(typed, again)).toMatchObject({ measure: typed.measure, isBehind: false });
  expect(isTouched(withNewest(typed, again))).toBe(true);
});

test('parts that nobody has typed into follow; where the typed one was changed too, that is said', () => {
  const changed = { ...loans, title: 'Loans made' };
  expect(withNewest(draftOf(loans), changed)).toMatchObject({ measure: changed, isBehind: false });
  expect(withNewest(typed, changed)).toMatchObject({
    measure: { ...typed.measure, title: 'Loans made' },
    known: changed,
    isBehind: false,
  });
  const behind = withNewest(typed, { ...changed, formula: 'count(loan) * 2' });
  expect(behind).toMatchObject({
    measure: { formula: typed.measure.formula, title: 'Loans made' },
    isBehind: true,
  });
  expect(isTouched(behind)).toBe(true);
});

test('what is saved from here comes back laid out, and is no change of somebody else', () => {
  const saved = { ...loans, formula: 'count(loan) + 1' };
  const saving = { ...typed, measure: { ...loans, formula: 'COUNT( loan )+1' }, saved };
  expect(withNewest(saving, saved)).toEqual(draftOf(saved));
  // A measure that is removed under the editor leaves what is typed.
  expect(withNewest(typed, undefined).measure).toBe(typed.measure);
});
