import fc from 'fast-check';
import type { Model } from '../model/index.ts';
import { applyEdit } from '../edit/index.ts';
import { ModelData } from '../query/index.ts';
import type { JudgedClaim } from './index.ts';
import { CLAIM_REF_KINDS } from '../model/index.ts';
import { CLAIM_KINDS, isCodeName, judgeModel, summarise } from './index.ts';
import type { Row, Rows } from './smallWorld.ts';
import { tablesOf } from './smallWorld.ts';

function judgeAll(model: Model, rows: Record<string, Rows>): Map<string, JudgedClaim> {
  const tables = tablesOf(model, rows);
  const data = new ModelData(model, (name) => tables.get(name)!, 20000);
  return new Map(judgeModel(model, data, '2026-07-01').map((c) => [c.id, c]));
}

const base: Model = {
  crease: 1,
  name: 'small',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer', use: 'key' },
        { name: 'branch', type: 'integer', use: 'reference' },
        { name: 'copies', type: 'integer', use: 'quantity' },
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['id'],
      label: 'name',
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'name', type: 'text' },
        { name: 'town', type: 'text' },
        { name: 'district', type: 'text' },
      ],
    },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['id'] },
    },
  ],
  hierarchies: [
    {
      name: 'Places',
      table: 'branch',
      levels: [
        { name: 'District', column: 'district' },
        { name: 'Town', column: 'town' },
      ],
    },
  ],
  measures: [{ name: 'Loans', formula: 'count(loan)' }],
};
const small = fc.option(fc.integer({ min: 1, max: 4 }), { freq: 6 });
const word = fc.option(fc.constantFrom('a', 'b', 'c'), { freq: 6 });
const data = fc.record({
  loan: fc.array(fc.record({ id: small, branch: small, copies: small }), { maxLength: 25 }),
  branch: fc.array(fc.record({ id: small, name: word, town: word, district: word }), { maxLength: 8 }),
});

test('counts are exact: each check against a naive one on random rows', () => {
  fc.assert(
    fc.property(data, (rows) => {
      const claims = judgeAll(base, rows);
      const against = (id: string) => claims.get(id)!.evidence.against;
      const { loan, branch } = rows;
      const twice = (list: readonly Row[]) =>
        list.filter((r) => r.id !== null && list.filter((x) => x.id === r.id).length > 1).length;
      expect(against('key-unique:loan')).toBe(twice(loan));
      expect(against('key-filled:loan')).toBe(loan.filter((r) => r.id === null).length);
      expect(against('reference-complete:loan_branch')).toBe(
        loan.filter((r) => r.branch !== null && !branch.some((b) => b.id === r.branch)).length,
      );
      expect(against('reference-filled:loan_branch')).toBe(loan.filter((r) => r.branch === null).length);
      expect(against('cardinality:loan_branch')).toBe(twice(branch));
      const torn = new Set(
        branch
          .filter(
            (r) =>
              r.town !== null &&
              new Set(branch.filter((x) => x.town === r.town && x.district !== null).map((x) => x.district))
                .size > 1,
          )
          .map((r) => r.town),
      );
      expect(against('level-single-parent:branch.Places.Town')).toBe(
        branch.filter((r) => torn.has(r.town)).length,
      );
      expect(against('label-unique:branch.name')).toBe(
        branch.filter(
          (r) =>
            r.name !== null && new Set(branch.filter((x) => x.name === r.name).map((x) => x.id)).size > 1,
        ).length,
      );
      for (const { verdict, evidence } of claims.values()) {
        if (evidence.against > 0) expect(verdict).toBe('broken');
        else if (verdict === 'unchecked') expect(evidence.reason!.code).toBe('empty');
        else expect([verdict, evidence.checked > 0]).toEqual(['holds', true]);
      }
    }),
    { numRuns: 200, seed: 7 },
  );
});

test('evidence names the values, their rows and their lines', () => {
  const claims = judgeAll(base, {
    loan: [
      { id: 1, branch: 9 },
      { id: 2, branch: 1 },
      { id: 3, branch: 9 },
    ],
    branch: [{ id: 1, name: 'Ash' }],
  });
  expect(claims.get('reference-complete:loan_branch')).toMatchObject({
    verdict: 'broken',
    weight: 'blocks',
    says: 'every loan.branch is a branch.id',
    found: '2 of 3 rows of loan have a branch without a partner in branch',
    evidence: {
      checked: 3,
      against: 2,
      distinct: 1,
      sample: [{ values: { branch: 9 }, rows: 2, lines: [2, 4] }],
    },
  });
});

describe('remedies mend what they say, and are plain edits', () => {
  const rows = {
    loan: [{ id: 1, branch: 1, copies: 1 }],
    branch: [
      { id: 1, name: 'Ash', town: 'Mill', district: 'N' },
      { id: 2, name: 'Elm', town: 'Mill', district: 'S' },
    ],
  };
  const mended = (model: Model, id: string, remedy: string, given: Record<string, readonly Row[]> = rows) => {
    const broken = judgeAll(model, given).get(id)!;
    expect(broken.verdict).toBe('broken');
    const found = broken.remedies.find((r) => r.id === remedy)!;
    return judgeAll(applyEdit(model, found.edit), given);
  };

  test('a town in two districts gets a composite key', () => {
    expect(
      mended(base, 'level-single-parent:branch.Places.Town', 'composite-key').get(
        'level-single-parent:branch.Places.Town',
      )!.verdict,
    ).toBe('holds');
  });
  test('a code is used as an attribute', () => {
    const model: Model = {
      ...base,
      tables: [
        {
          ...base.tables[0]!,
          columns: [...base.tables[0]!.columns, { name: 'card_no', type: 'integer', use: 'quantity' }],
        },
        base.tables[1]!,
      ],
    };
    expect(
      mended(model, 'not-a-quantity:loan.card_no', 'use-attribute').has('not-a-quantity:loan.card_no'),
    ).toBe(false);
  });
  test('a repeated key is declared a level', () => {
    const twice = { loan: [{ id: 1, branch: 1 }], branch: [{ id: 1 }, { id: 1 }] };
    expect(
      mended(base, 'cardinality:loan_branch', 'declare-many-to-level', twice).get('cardinality:loan_branch')!
        .verdict,
    ).toBe('holds');
  });
  test('of two ways one is switched off', () => {
    const model: Model = {
      ...base,
      relationships: [...base.relationships!, { ...base.relationships![0]!, name: 'second' }],
    };
    expect(
      mended(model, 'path-single:loan->branch', 'not-default-second').get('path-single:loan->branch')!
        .verdict,
    ).toBe('holds');
  });
  test('a snapshot is counted at its last date', () => {
    const model: Model = {
      ...base,
      tables: [
        ...base.tables,
        {
          name: 'stock',
          role: 'fact',
          snapshot: 'day',
          columns: [
            { name: 'day', type: 'date' },
            { name: 'copies', type: 'integer' },
          ],
        },
      ],
      measures: [{ name: 'Stock', formula: 'sum(stock.copies)' }],
    };
    for (const formula of [
      'sum(stock.copies)',
      'sum(stock.copies) -- on the shelf',
      '2 * sum(stock.copies) -- both halves',
    ]) {
      const measures = [{ name: 'Stock', formula }];
      expect(
        mended({ ...model, measures }, 'snapshot-measure:Stock', 'at-last-stock').get(
          'snapshot-measure:Stock',
        )!.verdict,
      ).toBe('holds');
    }
  });
});

test('a waiver counts until its day has passed', () => {
  const orphan = { loan: [{ id: 1, branch: 9 }], branch: [{ id: 1 }] };
  const waived = (until: string) =>
    judgeAll(
      { ...base, waivers: [{ claim: 'reference-complete:loan_branch', reason: 'agreed', until }] },
      orphan,
    ).get('reference-complete:loan_branch')!;
  expect(waived('2026-07-01').verdict).toBe('waived');
  expect(waived('2026-06-30')).toMatchObject({
    verdict: 'broken',
    evidence: { notes: ['its waiver ended on 2026-06-30'] },
  });
});

test('what cannot be judged is unchecked and says why', () => {
  const model: Model = {
    ...base,
    measures: [
      { name: 'A', formula: 'sum(loan.copis)' },
      { name: 'B', formula: '"A" + 1' },
    ],
  };
  const claims = judgeAll(model, { loan: [], branch: [] });
  expect(claims.get('formula-valid:A')!.verdict).toBe('broken');
  expect(claims.get('formula-valid:B')).toMatchObject({
    verdict: 'unchecked',
    evidence: { reason: { code: 'rests-on', claim: 'formula-valid:A' } },
  });
  expect(summarise([...claims.values()]).unchecked).toBeGreaterThan(0);
});

test('what a waiver of each kind is about can be told', () => {
  const kinds = CLAIM_KINDS.map((k) => k.kind);
  expect(kinds.filter((kind) => !CLAIM_REF_KINDS.includes(kind))).toEqual([]);
});

test('every kind is listed once and documented', () => {
  const kinds = CLAIM_KINDS.map((k) => k.kind);
  expect(new Set(kinds).size).toBe(kinds.length);
  for (const kind of CLAIM_KINDS) expect(kind.documentation).toMatch(/^[A-Z].*\.$/);
});

test.each([
  ['card_no', true],
  ['barcode', true],
  ['titleId', true],
  ['codes_read', false],
  ['amount', false],
  ['Id checks', false],
])('%s is a code by its name: %s', (name, code) => {
  expect(isCodeName(name)).toBe(code);
});
