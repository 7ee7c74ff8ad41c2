import type { Edit } from '../edit/index.ts';
import { applyEdit } from '../edit/index.ts';
import { FormulaChecker } from '../formula/index.ts';
import type { Model } from '../model/index.ts';
import { DependencyDigest, listClaims } from './index.ts';

const column = (name: string, type = 'integer', rest: object = {}) => ({ name, type, ...rest });
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      key: ['no'],
      source: { file: 'loan.csv' },
      columns: [
        column('no'),
        column('branch_id'),
        column('fine', 'decimal(9,2)', { use: 'quantity' }),
        column('far', 'boolean', { formula: "branch.town <> 'Ash'" }),
        column('dear', 'boolean', { formula: 'fine > 5', use: 'attribute' }),
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['id'],
      source: { file: 'branch.csv' },
      columns: [column('id'), column('town', 'text'), column('size')],
    },
    {
      name: 'visit',
      role: 'fact',
      key: ['branch_id'],
      source: { steps: [{ from: 'raw' }, { aggregate: { by: ['branch_id'], columns: {} } }] },
      columns: [column('branch_id')],
    },
    { name: 'raw', role: 'staging', source: { file: 'raw.csv' }, columns: [column('branch_id')] },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch_id'] },
      to: { table: 'branch', columns: ['id'] },
    },
  ],
  hierarchies: [
    {
      name: 'H',
      table: 'branch',
      levels: [
        { name: 'Town', column: 'town' },
        { name: 'Branch', column: 'id' },
      ],
    },
  ],
};
/** What each claim about rows rests on. */
function basesOf(of: Model, versions: Record<string, string> = {}): Map<string, string> {
  const bases = new DependencyDigest(
    of,
    new FormulaChecker(of),
    (t) => versions[t.name] ?? '1',
    (text) => text,
  );
  return new Map(listClaims(of).flatMap((c) => (c.tables.length > 0 ? [[c.id, bases.of(c)] as const] : [])));
}
/** Claims whose basis another model, or other rows, change. */
function touched(change: Edit | Record<string, string>): string[] {
  const before = basesOf(model);
  const after = Array.isArray(change) ? basesOf(applyEdit(model, change)) : basesOf(model, change);
  return [...after].filter(([id, basis]) => before.has(id) && before.get(id) !== basis).map(([id]) => id);
}

test('an edit touches the claims that rest on what it changes, and no others', () => {
  expect(
    touched([{ do: 'set-table', table: 'loan', change: { title: 'Loans', grain: 'one loan' } }]),
  ).toEqual([]);
  expect(touched([{ do: 'put-measures', name: null, value: { name: 'N', formula: 'count(loan)' } }])).toEqual(
    [],
  );
  expect(
    touched([
      { do: 'set-column', table: 'branch', column: 'size', change: { hidden: true, use: 'attribute' } },
    ]),
  ).toEqual([]);
  // A type is part of what is read.
  expect(touched([{ do: 'set-column', table: 'branch', column: 'size', change: { type: 'text' } }])).toEqual([
    'type-holds:branch.size',
  ]);
  expect(touched([{ do: 'set-table', table: 'loan', change: { key: ['no', 'branch_id'] } }]).sort()).toEqual([
    'key-filled:loan',
    'key-unique:loan',
  ]);
  expect(
    touched([{ do: 'set-relationship', name: 'loan_branch', change: { cardinality: 'many-to-many' } }]),
  ).toEqual(['cardinality:loan_branch']);
});

test('a derived column rests on what its formula names and on the way there', () => {
  const formulas: Model = {
    ...model,
    tables: model.tables.map((t) =>
      t.name === 'loan' ? { ...t, label: 'far', role: 'dimension', columns: t.columns } : t,
    ),
  };
  const bases = (of: Model) => basesOf(of).get('label-unique:loan.far');
  const first = bases(formulas);
  expect(
    bases(
      applyEdit(formulas, [{ do: 'set-column', table: 'branch', column: 'size', change: { type: 'text' } }]),
    ),
  ).toBe(first);
  expect(
    bases(
      applyEdit(formulas, [{ do: 'set-column', table: 'branch', column: 'town', change: { length: 9 } }]),
    ),
  ).not.toBe(first);
  expect(
    bases(
      applyEdit(formulas, [
        { do: 'set-column', table: 'loan', column: 'far', change: { formula: "branch.town = 'Ash'" } },
      ]),
    ),
  ).not.toBe(first);
  expect(
    bases(
      applyEdit(formulas, [
        {
          do: 'set-relationship',
          name: 'loan_branch',
          change: { to: { table: 'branch', columns: ['size'] } },
        },
      ]),
    ),
  ).not.toBe(first);
  expect(basesOf(formulas, { branch: '2' }).get('label-unique:loan.far')).not.toBe(first);
});

test('other rows touch the claims that read them, also through derived tables', () => {
  expect(touched({ branch: '2' }).every((id) => /branch/.test(id))).toBe(true);
  expect(touched({ branch: '2' })).toContain('reference-complete:loan_branch');
  expect(touched({ raw: '2' }).sort()).toEqual([
    'file-read:raw',
    'key-filled:visit',
    'key-unique:visit',
    'type-holds:raw.branch_id',
    'type-holds:visit.branch_id',
  ]);
  expect(
    touched([{ do: 'set-column', table: 'raw', column: 'branch_id', change: { type: 'text' } }]),
  ).toContain('key-unique:visit');
});

test('another fiscal year touches what is made of a generated calendar', () => {
  const calendar: Model = {
    crease: 1,
    name: 'c',
    tables: [
      {
        name: 'calendar',
        role: 'dimension',
        key: ['day'],
        source: { calendar: { from: '2026-01-01', to: '2026-12-31' } },
        columns: [column('day', 'date'), column('fiscal_year'), column('fiscal_quarter')],
      },
    ],
    calendars: [{ table: 'calendar', day: 'day' }],
    hierarchies: [
      {
        name: 'F',
        table: 'calendar',
        levels: [
          { name: 'Year', column: 'fiscal_year' },
          { name: 'Quarter', column: 'fiscal_quarter' },
        ],
      },
    ],
  };
  const id = 'level-single-parent:calendar.F.Quarter';
  const later = applyEdit(calendar, [
    {
      do: 'put-calendar',
      value: { table: 'calendar', day: 'day', fiscalYear: { firstMonth: 7, namedBy: 'end' } },
    },
  ]);
  expect(basesOf(later).get(id)).not.toBe(basesOf(calendar).get(id));
});
