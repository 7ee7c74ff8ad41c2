import { readFileSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { DataError, ModelData } from '../query/index.ts';
import { INTEGER, TEXT } from '../values/index.ts';
import {
  compareProfiles,
  profileDocument,
  profileDocumentSchema,
  profileJsonSchema,
  profileModel,
  profilePage,
} from './index.ts';

const PUBLISHED = resolve(__dirname, '../../../docs/profile.schema.json');
const SECRET = 'Mme Ouvrard';

function profiled(rows: number, extra = false) {
  const model: Model = {
    crease: 1,
    name: 'm',
    title: 'A <title> & more',
    tables: [
      {
        name: 'sale',
        role: 'fact',
        columns: [
          { name: 'amount', type: 'integer' },
          { name: 'said', type: 'text' },
          { name: 'twice', type: 'integer', formula: 'amount * 4711' },
          ...(extra ? [{ name: 'more', type: 'integer' }] : []),
        ],
      },
      { name: 'absent', role: 'dimension', columns: [{ name: 'x', type: 'text' }] },
    ],
  };
  const numbers = Array.from({ length: rows }, (_, i) => 900_000 + i * 7);
  const table = tableOf('sale', [
    columnOfValues('amount', INTEGER, numbers),
    columnOfValues(
      'said',
      TEXT,
      numbers.map((n) => `${SECRET} ${n % 9}`),
    ),
    ...(extra ? [columnOfValues('more', INTEGER, numbers)] : []),
  ]);
  return { model, profile: profileModel(new ModelData(model, loader(table), 0)) };
}

const loader = (table: ReturnType<typeof tableOf>) => (name: string) => {
  if (name === 'sale') return table;
  throw new DataError('no rows yet');
};
const made = { at: '2026-05-17T10:00:00.000Z', revision: 3 };

test('what is handed on is of the published schema, and holds no value of the data', () => {
  const { model, profile } = profiled(500);
  const document = profileDocument(profile, model, { ...made, formulas: false });
  expect(profileDocumentSchema.parse(JSON.parse(JSON.stringify(document)))).toEqual(document);
  const [text, page] = [JSON.stringify(document), profilePage(document)];
  for (const handed of [text, page]) {
    expect(handed).not.toContain(SECRET);
    expect(handed).not.toContain('900');
    expect(handed).not.toContain('4711');
  }
  expect(page).toContain('A &lt;title&gt; &amp; more: what a row weighs');
  expect(page).toContain('no rows yet');
  expect(page).not.toContain('<script');
  // With formulas, if one wishes.
  expect(JSON.stringify(profileDocument(profile, model, { ...made, formulas: true }))).toContain('4711');
});

test('the schema that is published is the one that is used', () => {
  const now = `${JSON.stringify(profileJsonSchema(), null, 2)}\n`;
  if (process.env['WRITE_SCHEMAS']) writeFileSync(PUBLISHED, now);
  expect(readFileSync(PUBLISHED, 'utf8')).toBe(now);
});

test('a table without rows weighs nothing and says why; the rest is weighed', () => {
  const { profile } = profiled(500);
  const [sale, absent] = profile.tables;
  expect(absent).toMatchObject({ rows: 0, totalBytes: 0, columns: [], fault: 'no rows yet' });
  expect(sale!.totalBytes).toBe(profile.totalBytes);
});

test('two profiles compared: what grew, shrank, is new and is gone', () => {
  const [before, after] = [profiled(500).profile, profiled(5000, true).profile];
  const change = compareProfiles(before, after);
  expect(change.tables).toEqual([{ name: 'sale', rowsBefore: 500, rowsAfter: 5000 }]);
  expect(change.changes.find((c) => c.path === 'sale.more')).toMatchObject({ before: undefined });
  expect(change.changes.map((c) => Math.abs((c.after ?? 0) - (c.before ?? 0)))).toEqual(
    change.changes.map((c) => Math.abs((c.after ?? 0) - (c.before ?? 0))).sort((a, b) => b - a),
  );
  const back = compareProfiles(after, before);
  expect(back.changes.find((c) => c.path === 'sale.more')).toMatchObject({ after: undefined });
  expect(compareProfiles(after, after).changes).toEqual([]);
});
