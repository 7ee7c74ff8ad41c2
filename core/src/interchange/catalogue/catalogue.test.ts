import fc from 'fast-check';
import type { JudgedClaim } from '../../claims/index.ts';
import type { Model } from '../../model/index.ts';
import { catalogueHtml } from './html.ts';
import { cataloguePage, catalogueText } from './index.ts';
import { catalogueMarkdown } from './markdown.ts';

const AT = new Date('2026-06-30T10:00:00Z');
const table = (name: string, role: 'fact' | 'dimension', more: object = {}) => ({
  name,
  role,
  columns: [{ name: 'id', type: 'integer', use: 'key' as const }],
  ...more,
});
const way = (from: string, to: string) => ({
  name: `${from}_${to}`,
  from: { table: from, columns: ['id'] },
  to: { table: to, columns: ['id'] },
});
const model: Model = {
  crease: 1,
  name: 'library',
  tables: [
    table('loan', 'fact', {
      questions: [{ ask: 'How many?', by: ['branch.town'], measures: ['Loans', 'Fines'] }],
    }),
    table('branch', 'dimension', { title: 'Branches | all' }),
    table('district', 'dimension'),
    table('staff', 'dimension'),
  ],
  relationships: [
    way('loan', 'branch'),
    way('branch', 'district'),
    way('staff', 'staff'),
    way('district', 'branch'),
  ],
  measures: [{ name: 'Loans', formula: 'count(loan)\n  * `1`', goal: { value: 3 } }],
  trials: [{ name: 'By town', query: { measures: ['Loans'] } }],
  detailListings: [{ name: 'Lines', table: 'loan', columns: ['loan.id'] }],
};
const claim = (id: string, verdict: JudgedClaim['verdict'], more: object = {}) =>
  ({ id, verdict, says: `${id} is so`, evidence: { checked: 1200, against: 3 }, ...more }) as JudgedClaim;

test('it has stars, questions, kept trials, verdicts with counts, waivers with reasons, and samples where asked', () => {
  const extras = {
    claims: [
      claim('a', 'holds'),
      claim('b', 'broken', { found: 'b is not so' }),
      claim('c', 'waived', { waiver: { claim: 'c', reason: 'agreed', author: 'Ida', until: '2027-01-01' } }),
    ],
    samples: new Map([['loan', [['17'], ['18']]]]),
  };
  const page = cataloguePage(model, AT, extras);
  const text = catalogueText(model, AT, extras);
  for (const written of [page, text]) {
    expect(written).toContain('How many?');
    expect(written).toContain('(Loans, Fines by branch.town; loan)');
    expect(written).toContain('3 claims: 1 hold, 1 are broken, 1 are waived, 0 are unchecked.');
    expect(written).toContain('b is not so');
    expect(written).toContain('(3 against, of 1,200)');
    expect(written).toContain('waived: agreed, by Ida, until 2027-01-01');
    expect(written).toContain('18');
    expect(written).toContain('By town');
    expect(written).not.toContain('Storage');
  }
  expect(cataloguePage(model, AT)).not.toMatch(/first rows|Claims/);
  // Circles of references end: each table has one box.
  const boxes = [...page.matchAll(/<rect /g)].length;
  expect(boxes).toBe(4 + 3);
  expect(text).toContain('loan looks up branch');
});

test('in Markdown nothing that people wrote means anything: cells stay cells, formulas stay code', () => {
  const text = catalogueText(model, AT);
  expect(text).toContain('| **Loans** | `` count(loan) * `1` `` | <br>goal: 3 |  |');
  expect(text).toContain('## Branches \\| all');
  fc.assert(
    fc.property(fc.string({ unit: 'grapheme', minLength: 1 }), (written) => {
      const rows = [[[written], [{ kind: 'code' as const, text: written }]]];
      const blocks = [{ kind: 'table' as const, heads: ['a', 'b'], rows }];
      const made = catalogueMarkdown({ title: 't', intro: [], sections: [{ id: 's', title: 's', blocks }] });
      const line = made.trimEnd().split('\n').at(-1)!;
      // Bars that are not escaped are those of the table alone.
      expect(line.replace(/\\\\/g, '').match(/(?<!\\)\|/g)).toHaveLength(3);
    }),
  );
});

test('in HTML nothing that people wrote is markup', () => {
  fc.assert(
    fc.property(fc.string(), (written) => {
      const html = catalogueHtml({
        title: written,
        intro: [{ kind: 'paragraph', line: [written, { kind: 'link', text: written, to: written }] }],
        sections: [],
      });
      const body = html.slice(html.indexOf('<h1>'));
      const tags = body.match(/<[^>]*>/g)!.map((tag) => tag.replace(/ .*/s, ''));
      expect(tags).toEqual(['<h1>', '</h1>', '<p>', '<a', '</a>', '</p>', '<nav>', '</nav>', '</html>']);
    }),
  );
});
