import { mkdirSync, renameSync } from 'node:fs';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { accessFaults } from './accessible.ts';
import { expect, test } from './journey.ts';
import type { Page } from '@playwright/test';
import type { Cluster } from '../server/test/postgresql.ts';
import { startPostgresql } from '../server/test/postgresql.ts';
import { onDuckdb } from '../server/test/duckdbFile.ts';
import { newModel, stateOf } from './byApi.ts';

// A star whose rows stay in their database, from the list of its tables to an answer and back.

let cluster: Cluster;
test.beforeAll(async ({ request }) => {
  cluster = await startPostgresql();
  await cluster.client.query(`create schema lending;
    create table lending.branch (code text primary key, name text not null, region text);
    create table lending.loan (id int primary key, branch_code text, lent_on date, fine numeric(8,2));
    insert into lending.branch values ('A', 'Ash', 'North'), ('B', 'Birch', 'North'), ('C', 'Cedar', 'South');
    insert into lending.loan select i, (array['A', 'B', 'C'])[i % 3 + 1], date '2026-01-01' + i % 90, (i % 5) * 0.25 from generate_series(1, 3000) i;
    insert into lending.loan values (9001, 'Z', '2026-02-01', 1)`);
  const answer = await request.put('/api/connections', {
    data: { kind: 'postgresql', name: 'lending', ...cluster.place },
  });
  expect(answer.ok()).toBe(true);
});
test.afterAll(async ({ request }) => {
  await request.delete('/api/connections/lending');
  await cluster.stop();
});
const connectionsOf = (page: Page) => page.getByRole('navigation', { name: 'Connections' });

/** Of the tables of a connection that are listed. */
async function passBothThrough(page: Page, connection: string): Promise<void> {
  await page.getByRole('checkbox', { name: 'Choose branch' }).check();
  await page.getByRole('checkbox', { name: 'Choose loan' }).check();
  await page.getByRole('button', { name: 'Pass through' }).click();
  await expect(page.getByText(`2 tables passed through: rows stay in ${connection}`)).toBeVisible();
}

async function acceptDraft(page: Page): Promise<void> {
  await page.getByRole('button', { name: 'Draft a star' }).click();
  await page.getByRole('button', { name: 'Accept all' }).click();
  await expect(page.getByText(/accept \d+ proposals/)).toBeVisible();
}

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

test('tables are passed through, a star is drafted, asked and checked where its rows lie, held, and undone', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'In its database');
  await page.goto(`/m/${id}/intake`);
  await page.getByRole('button', { name: 'Databases' }).click();
  await connectionsOf(page)
    .getByRole('button', { name: /^lending/ })
    .click();
  await passBothThrough(page, 'lending');
  await expect(page.getByRole('row', { name: /lending\.loan/ })).toContainText('passed through as loan');
  expect((await stateOf(request, id)).stored).toEqual([]);

  // What rows there are is seen before anything is related.
  await page.getByRole('button', { name: 'Back to Intake' }).click();
  const tables = page.getByRole('table', { name: 'Tables of the model' });
  await tables
    .getByRole('row', { name: /lending\.loan/ })
    .getByRole('button')
    .first()
    .click();
  await expect(page.getByText('3,001 rows')).toBeVisible();

  await acceptDraft(page);
  await page.goto(`/m/${id}/stars?sel=relationship:loan_branch`);
  await expect(page.getByText('1 of 3,001 rows of loan').first()).toBeVisible({ timeout: 30_000 });

  const query = { by: ['branch.region'], measures: ['Total fine'], totals: true };
  await page.goto(`/m/${id}/trial?q=${encodeURIComponent(JSON.stringify(query))}`);
  const answer = page.getByRole('table', { name: 'Answer' });
  await expect(answer.getByRole('row', { name: /North/ })).toContainText('1,000.00');
  await expect(answer.getByRole('row', { name: /total/ })).toContainText('1,501.00');

  // What they would weigh; then one is held, and both ways give the same answers.
  await page.goto(`/m/${id}/storage`);
  await expect(page.getByText('passed through: nothing is held here')).toHaveCount(2);
  await page.getByRole('button', { name: 'Estimate what they would weigh' }).click();
  await expect(page.getByRole('region', { name: 'loan', exact: true })).toContainText('× 3,001 rows');
  expect(await accessFaults(page, 'serious')).toEqual([]);
  await page.goto(`/m/${id}/intake`);
  await page.getByRole('button', { name: 'Hold loan' }).click();
  await page.getByRole('button', { name: 'Load loan' }).click();
  await page.getByRole('button', { name: 'Import 1 table' }).click();
  await expect(page.getByText('3,001 rows stored')).toBeVisible();
  await page.goto(`/m/${id}/storage`);
  await page.getByRole('button', { name: 'Compare times' }).click();
  const times = page.getByRole('table', { name: 'Times of questions' });
  await expect(times.getByRole('row', { name: /Total fine/ })).toContainText('the same');
  await expect(times).not.toContainText('row 1');

  // Taken back: the rows are asked in their database again, and in the end there is no table.
  const undo = page.getByRole('button', { name: 'Undo', exact: true }).first();
  const takeBack = async () => {
    const { revision } = await stateOf(request, id);
    await undo.click();
    await expect.poll(async () => (await stateOf(request, id)).revision.id).not.toBe(revision.id);
  };
  await undo.click();
  // Rows that are loaded are not taken back without a word.
  await page.getByRole('dialog').getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('passed through: nothing is held here')).toHaveCount(1);
  await expect(page.getByRole('dialog')).toBeHidden();
  await takeBack();
  await expect
    .poll(async () => (await stateOf(request, id)).model.tables.map((t) => t.held))
    .toEqual([false, false]);
  await page.goto(`/m/${id}/trial?q=${encodeURIComponent(JSON.stringify(query))}`);
  await expect(answer.getByRole('row', { name: /total/ })).toContainText('1,501.00');
  await takeBack();
  await takeBack();
  await expect.poll(async () => (await stateOf(request, id)).model.tables).toEqual([]);
});

test('a database that cannot be reached is said on the answer, and the model goes on', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'Out of reach');
  const passed = await request.post(`/api/models/${id}/passed-through`, {
    data: { connection: 'lending', tables: [{ schema: 'lending', table: 'branch' }] },
  });
  expect(passed.ok()).toBe(true);
  const place = { kind: 'postgresql', name: 'lending', ...cluster.place };
  await request.put('/api/connections', { data: { ...place, port: 1 } });
  await page.goto(`/m/${id}/intake?sel=table:branch`);
  await expect(page.getByText(/nothing answers at 127\.0\.0\.1:1/).first()).toBeVisible();
  await request.put('/api/connections', { data: place });
  await page.reload();
  await expect(page.getByText('3 rows').first()).toBeVisible();
});

test('a folder of Parquet files is entered, its tables are passed through, asked, weighed; one that goes is said', async ({
  page,
  request,
}) => {
  const folder = join(process.env.CREASE_JOURNEYS!, 'lake');
  mkdirSync(join(folder, 'loan'), { recursive: true });
  const loans = (from: number) =>
    `select i as id, ['A', 'B', 'C'][i % 3 + 1] as branch_code, date '2026-01-01' + cast(i % 90 as int) as lent_on, cast((i % 5) * 0.25 as decimal(8,2)) as fine from range(${from}, ${from + 1500}) r(i)`;
  await onDuckdb(join(folder, '..', 'maker.duckdb'), [
    `copy (select * from (values ('A', 'Ash', 'North'), ('B', 'Birch', 'North')) v (code, name, region)) to '${folder}/branch.parquet'`,
    `copy (${loans(0)}) to '${folder}/loan/2025.parquet'`,
    `copy (${loans(1500)}) to '${folder}/loan/2026.parquet'`,
  ]);
  const id = await newModel(request, 'On a lake');
  await page.goto(`/m/${id}/intake?view=databases`);
  await page.getByRole('button', { name: 'New connection' }).click();
  await page.getByLabel('Kind of database').selectOption('duckdb');
  await page.getByLabel('Name of the connection').fill('lake');
  await page.getByLabel('Path of the file or folder').fill(folder);
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('row', { name: /main\.loan/ })).toContainText('3,000');
  await passBothThrough(page, 'lake');

  await page.getByRole('button', { name: 'Back to Intake' }).click();
  await acceptDraft(page);
  await page.goto(`/m/${id}/stars?sel=relationship:loan_branch`);
  await expect(page.getByText('1,000 of 3,000 rows of loan').first()).toBeVisible({ timeout: 30_000 });
  const query = { by: ['branch.region'], measures: ['Total fine'], totals: true };
  await page.goto(`/m/${id}/trial?q=${encodeURIComponent(JSON.stringify(query))}`);
  const answer = page.getByRole('table', { name: 'Answer' });
  await expect(answer.getByRole('row', { name: /North/ })).toContainText('1,000.00');
  await expect(answer.getByRole('row', { name: /total/ })).toContainText('1,500.00');
  await page.goto(`/m/${id}/storage`);
  await page.getByRole('button', { name: 'Estimate what they would weigh' }).click();
  await expect(page.getByRole('region', { name: 'loan', exact: true })).toContainText('× 3,000 rows');

  // Files that are gone are told where they are asked for, and are found again once they are back.
  renameSync(folder, `${folder}.away`);
  await page.goto(`/m/${id}/trial?q=${encodeURIComponent(JSON.stringify({ ...query, totals: false }))}`);
  await expect(page.getByText(/there is no file or folder/).first()).toBeVisible();
  renameSync(`${folder}.away`, folder);
  await page.reload();
  await expect(answer.getByRole('row', { name: /North/ })).toContainText('1,000.00');
  await request.delete('/api/connections/lake');
});

test('tables of a SQLite file are passed through by groups of their rows: drafted, asked, explained, checked, and taken back', async ({
  page,
  request,
}) => {
  const file = join(process.env.CREASE_JOURNEYS!, 'lent.sqlite');
  const db = new Database(file);
  db.pragma('foreign_keys = off');
  db.exec(`create table branch (code text primary key, name text, region text);
    create table loan (id integer primary key, branch_code text references branch (code), lent_on date, fine decimal(8, 2));
    insert into branch values ('A', 'Ash', 'North'), ('B', 'Birch', 'North'), ('C', 'Cedar', 'South');
    with recursive n (i) as (select 1 union all select i + 1 from n where i < 3000)
      insert into loan select i, substr('ABC', i % 3 + 1, 1), date('2026-01-01', '+' || (i % 90) || ' days'), (i % 5) * 0.25 from n;
    insert into loan values (9001, 'Z', '2026-02-01', 1)`);
  db.close();
  await request.put('/api/connections', { data: { kind: 'sqlite', name: 'lent', file } });
  const id = await newModel(request, 'By groups');
  await page.goto(`/m/${id}/intake`);
  await page.getByRole('button', { name: 'Databases' }).click();
  await connectionsOf(page).getByRole('button', { name: /^lent/ }).click();
  await passBothThrough(page, 'lent');
  await page.getByRole('button', { name: 'Back to Intake' }).click();
  await acceptDraft(page);
  await page.goto(`/m/${id}/stars?sel=relationship:loan_branch`);
  await expect(page.getByText('1 of 3,001 rows of loan').first()).toBeVisible();

  const query = { by: ['branch.region'], measures: ['Total fine'], totals: true };
  await page.goto(`/m/${id}/trial?q=${encodeURIComponent(JSON.stringify(query))}`);
  const answer = page.getByRole('table', { name: 'The answer' });
  await expect(answer.getByRole('row', { name: /North/ })).toContainText('1,000.00');
  await expect(answer.getByRole('row', { name: /total/ })).toContainText('1,501.00');
  // The rows behind a number, which add up to it; and why it is what it is.
  await answer.getByRole('row', { name: /South/ }).locator('button.num').click();
  await page.getByRole('button', { name: 'Rows behind it' }).click();
  const rows = page.getByRole('region', { name: 'Rows behind the number' });
  await expect(rows.getByRole('status')).toContainText('as the answer has');
  await expect(rows.getByRole('columnheader', { name: /^id/ })).toBeVisible();
  await rows.getByRole('button', { name: 'Back to the answer' }).click();
  await answer.getByRole('row', { name: /South/ }).locator('button.num').click();
  await expect(page.getByText('branch.region = South').first()).toBeVisible();
  await expect(page.getByText('3,001 rows of loan, then 1,000 rows by branch')).toBeVisible();
  // What would need more than groups is not offered.
  await page.goto(`/m/${id}/storage`);
  await expect(page.getByText('What they would weigh is told of other databases')).toBeVisible();
  await expect(page.getByRole('button', { name: /Estimate|Compare times/ })).toHaveCount(0);

  // Rows that are other ones under one revision: as many claims are broken as before, by more rows.
  await page.goto(`/m/${id}/release`);
  const broken = page
    .getByRole('region', { name: 'Blocking a release' })
    .getByRole('button', { name: /branch_code is a branch\.code/ });
  await expect(broken).toHaveText(/ ?1$/);
  const again = new Database(file);
  again.pragma('foreign_keys = off');
  again.exec(`insert into loan values (9002, 'Z', '2026-02-01', 1)`);
  again.close();
  await request.post(`/api/models/${id}/claims/judge`);
  await expect(broken).toHaveText(/ ?2$/);

  const undo = page.getByRole('button', { name: 'Undo', exact: true }).first();
  for (let i = 0; i < 2; i++) {
    const { revision } = await stateOf(request, id);
    await undo.click();
    await expect.poll(async () => (await stateOf(request, id)).revision.id).not.toBe(revision.id);
  }
  await expect.poll(async () => (await stateOf(request, id)).model.tables).toEqual([]);
  await request.delete('/api/connections/lent');
});
