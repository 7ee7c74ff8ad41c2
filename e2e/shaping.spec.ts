import { expect, test } from './journey.ts';
import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Database from 'better-sqlite3';

// Where a worker's workspace lies is known once it has begun.
const folder = () => process.env.CREASE_JOURNEYS!;
const inFolder = (name: string) => join(folder(), name);

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

const csv = (name: string, text: string) => ({ name, mimeType: 'text/csv', buffer: Buffer.from(text) });

test('tables of a database come in with their keys, a join that multiplies is seen and mended, and all of it can be undone', async ({
  page,
}) => {
  const database = new Database(inFolder('branches.sqlite'));
  database.exec(`
    create table branch (code text primary key, name text);
    create table fee (branch text references branch, fee decimal(5,2));
    create table visit (visit_no integer primary key, branch text references branch, people integer);
    insert into branch values ('A', 'Ash'), ('B', 'Elm');
    insert into fee values ('A', 1.5), ('A', 1.5), ('B', 2);
    insert into visit values (1, 'A', 10), (2, 'A', 20), (3, 'B', 5), (4, null, 7);
  `);
  database.close();
  await page.goto('/');
  await page.getByLabel('Title of a new model').fill('Visits');
  await page.getByRole('button', { name: 'Create' }).click();
  await page.getByRole('button', { name: 'Databases' }).click();
  await page.getByRole('button', { name: 'New connection' }).click();
  await page.getByLabel('Kind of database').selectOption('sqlite');
  await page.getByLabel('Name of the connection').fill('branches');
  await page.getByLabel('Path of the file').fill(inFolder('nothing.sqlite'));
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('alert')).toContainText('there is no file');
  await page.getByRole('button', { name: 'Change', exact: true }).click();
  await page.getByLabel('Path of the file').fill(inFolder('branches.sqlite'));
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByLabel('Choose visit', { exact: true }).check();
  await page.getByRole('button', { name: 'Add referenced tables' }).click();
  await page.getByLabel('Choose fee', { exact: true }).check();
  await page.getByRole('button', { name: 'Preview 3 tables' }).click();
  await page.getByRole('button', { name: 'Import 3 tables' }).click();
  await expect(page.getByText('Imported: 9 rows stored')).toBeVisible();

  await page.getByRole('link', { name: /^Shape/ }).click();
  await page.getByRole('button', { name: 'Derive a table' }).click();
  const form = page.getByRole('form', { name: 'Derive a table' });
  await form.getByLabel('from').selectOption('visit');
  await form.getByLabel('name', { exact: true }).fill('paid_visit');
  await form.getByLabel('role').selectOption('fact');
  await form.getByRole('button', { name: 'Derive', exact: true }).click();
  const steps = page.getByRole('list', { name: 'Steps of paid_visit' });
  await expect(steps.getByRole('button', { name: /^from/ })).toBeVisible();
  await steps.getByRole('button', { name: 'join', exact: true }).click();
  await page.getByLabel('The table to join').selectOption('fee');
  const kinds = page.getByRole('radiogroup', { name: 'Kind of join' });
  await expect(kinds.getByRole('radio', { name: /^inner/ })).toContainText('5');
  await expect(kinds.getByRole('radio', { name: /^left/ })).toContainText('6');
  await expect(steps.getByText('multiplies 2 rows')).toBeVisible();
  const evidence = page.getByRole('region', { name: 'After step 2' });
  await expect(
    evidence.getByText('The join multiplies: 2 rows more, because 1 key occurs several times in fee.', {
      exact: false,
    }),
  ).toBeVisible();
  await evidence
    .getByRole('listitem')
    .filter({ hasText: 'use each row of fee once' })
    .getByRole('button', { name: 'Apply' })
    .click();
  await expect(steps.getByText('multiplies 2 rows')).toBeHidden();
  await expect(
    page.getByRole('region', { name: 'Staging' }).getByRole('button', { name: /fee_per_branch/ }),
  ).toBeVisible();
  const totals = evidence.getByRole('table', { name: 'Rows and totals' });
  await expect(totals.getByRole('row', { name: /^rows/ })).toHaveText('rows44');

  // Bands, written for one; the steps are kept, and the table has the column.
  await steps.getByRole('button', { name: 'derive', exact: true }).click();
  await page.getByRole('button', { name: 'Classify into bands …' }).click();
  await page.getByLabel('Column to classify').selectOption('people');
  await page.getByRole('button', { name: 'Insert formula' }).click();
  await page.getByRole('button', { name: 'Save steps' }).click();
  await expect(page.getByText('Unsaved steps: the rows below show what they would give.')).toBeHidden();
  await page.getByRole('tab', { name: 'columns' }).click();
  await page
    .getByRole('table', { name: 'Columns of paid_visit' })
    .getByRole('button', { name: 'people_band' })
    .click();
  await expect(page.getByRole('region', { name: 'Where the column comes from' })).toContainText(
    'visit.people',
  );
  await page.getByRole('tab', { name: 'lineage' }).click();
  await expect(page.getByRole('button', { name: 'fee_per_branch, staging' })).toBeVisible();
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(page.getByRole('button', { name: 'fee_per_branch, staging' })).toBeHidden();
});

test('a table is loaded again by its key: tried, taken in, kept as a recipe, and run from the command line', async ({
  page,
}) => {
  await page.goto('/');
  await page.getByLabel('Title of a new model').fill('Prices');
  await page.getByRole('button', { name: 'Create' }).click();
  await page.locator('#files').setInputFiles([csv('price.csv', 'title,price\n1,2.50\n2,3.00\n')]);
  await page.getByRole('button', { name: 'Import 1 table' }).click();
  await expect(page.getByText('Imported: 2 rows stored')).toBeVisible();
  await page.getByRole('link', { name: /^Shape/ }).click();
  await page.getByLabel('Add a column to the key').selectOption('title');
  await expect(page.getByTitle('Remove from the key')).toBeVisible();

  await page.getByRole('link', { name: /^Intake/ }).click();
  await page.locator('#files').setInputFiles([csv('price.csv', 'title,price\n2,3.25\n3,4.00\n4,dear\n')]);
  await page.getByLabel('Existing rows').selectOption('update');
  const card = page.getByRole('region', { name: 'File price.csv' });
  await card.getByLabel('values that do not fit').selectOption('leave out');
  await card.getByLabel('Recipe').fill('prices');
  await card.getByRole('button', { name: 'Dry run' }).click();
  await expect(card.getByRole('status')).toContainText('1 new1 changed0 unchanged0 refused0 gone1 left out');
  await page.getByRole('button', { name: 'Import 1 table' }).click();
  await expect(page.getByText('Imported: 2 rows stored, 1 listed as left out')).toBeVisible();
  await page.getByRole('button', { name: 'Loads' }).click();
  await expect(page.getByRole('region', { name: 'Recipes' })).toContainText(
    'price: updates rows by key, from a file',
  );

  const newer = inFolder('newer price.csv');
  writeFileSync(newer, 'price,title\n9.99,1\n');
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    [
      'cli/bin/crease.mjs',
      'load',
      'prices',
      newer,
      '--workspace',
      inFolder('journeys.sqlite'),
      '--model',
      'prices',
    ],
    { encoding: 'utf8' },
  );
  expect([status, stderr]).toEqual([0, '']);
  expect(stdout).toBe('price: 0 new, 1 changed, 0 unchanged, 0 refused, 0 gone\n1 row stored\n');
  await page.reload();
  await expect(page.getByRole('region', { name: 'Log' })).toContainText('newer price.csv, by prices');
});

test('a column by formula shows what it gives while one types, and a fault where it is', async ({ page }) => {
  await page.goto('/m/1/shape?sel=table:staff');
  await page.getByRole('button', { name: 'Add a column by formula' }).click();
  await page.getByLabel('Name of the column').fill('known_as');
  await page.getByLabel('Formula of the column').fill('upper(full_nam)');
  await expect(page.getByText('did you mean "full_name"', { exact: false }).first()).toBeVisible();
  await expect(page.getByRole('button', { name: 'Add column' })).toBeDisabled();
  await page.getByLabel('Formula of the column').fill('upper(full_name)');
  await expect(page.getByRole('table', { name: 'What the formula gives' })).toContainText(
    /[A-Z]{3,} [A-Z]{3,}/,
  );
  await page.getByRole('button', { name: 'Add column' }).click();
  await expect(
    page.getByRole('table', { name: 'Columns of staff' }).getByText('= upper(full_name)'),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(page.getByText('= upper(full_name)')).toBeHidden();
});
