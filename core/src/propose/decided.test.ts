import type { TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { parseType } from '../values/index.ts';
import { many } from './drafted.ts';
import type { Decided } from './index.ts';
import { acceptAll, proposeStar } from './index.ts';

/** A fact of loans from and to branches, of whose columns the types are known. */
function world() {
  const rows = new Map<string, TableData>();
  const model: Model = { crease: 1, name: 'm', tables: [] };
  const add = (name: string, columns: Readonly<Record<string, readonly [string, Value[]]>>) => {
    const made = Object.entries(columns).map(([c, [type, values]]) =>
      columnOfValues(c, parseType(type)!, values),
    );
    rows.set(name, tableOf(name, made));
    const stored = Object.entries(columns).map(([c, [type]]) => ({ name: c, type }));
    model.tables.push({ name, role: 'staging', columns: stored });
  };
  add('branch', {
    branch_code: ['text', many(9, (i) => `BR-${i}`)],
    name: ['text', many(9, (i) => `Place ${i}`)],
  });
  add('loan', {
    branch_code: ['text', many(300, (i) => `BR-${i % 9}`)],
    return_branch_code: ['text', many(300, (i) => `BR-${(i * 5) % 9}`)],
    copies: ['integer', many(300, (i) => i % 4)],
    fine: ['decimal(9,2)', many(300, (i) => (i * 37) % 900)],
  });
  return new ModelData(model, (name) => rows.get(name)!, 0);
}
const draft = (decided: Decided = {}) => {
  const data = world();
  const proposals = proposeStar(data, undefined, decided);
  const taken = proposals.filter((p) => !(decided.left ?? []).includes(p.id));
  return { proposals, model: acceptAll(data.model, taken) };
};
const table = (model: Model, name: string) => model.tables.find((t) => t.name === name)!;

test('a role that was decided stands, and measures follow it', () => {
  expect(table(draft().model, 'loan').role).toBe('fact');
  expect(draft().model.measures!.length).toBeGreaterThan(0);
  const { model, proposals } = draft({ roles: { loan: 'dimension', gone: 'fact' } });
  expect(table(model, 'loan').role).toBe('dimension');
  expect(proposals.find((p) => p.id === 'role:loan')!.evidence).toEqual(['chosen here']);
  expect(model.measures ?? []).toEqual([]);
});

test('a use that was decided stands, and its measure goes', () => {
  const names = (model: Model) => model.measures!.map((m) => m.name);
  expect(names(draft().model)).toContain('Total copies');
  const { model } = draft({ uses: { 'loan.copies': { use: 'attribute' } } });
  expect(table(model, 'loan').columns.find((c) => c.name === 'copies')!.use).toBe('attribute');
  expect(names(model)).not.toContain('Total copies');
  expect(
    names(draft({ uses: { 'loan.copies': { use: 'quantity', aggregate: 'max' } } }).model),
  ).not.toContain('Total copies');
});

test('what is found in any case is said with its evidence', () => {
  const found = draft().proposals;
  expect(draft({ roles: { loan: 'fact' } }).proposals).toEqual(found);
});

test('without the default way the other becomes it, and a column is no reference', () => {
  const ends = (model: Model) =>
    (model.relationships ?? []).map((r) => [r.from.columns[0], r.default ?? true]);
  expect(ends(draft().model)).toEqual([
    ['branch_code', true],
    ['return_branch_code', false],
  ]);
  const { model, proposals } = draft({ left: ['relationship:loan.branch_code'] });
  expect(ends(model)).toEqual([['return_branch_code', true]]);
  expect(proposals.map((p) => p.id)).toContain('relationship:loan.branch_code');
});
