import { readFileSync } from 'node:fs';
import type { Page } from '@playwright/test';
import { expect, test } from './journey.ts';
import type { Edit } from '@crease/core/edit';
import { edited, loadText, newModel, stateOf } from './byApi.ts';

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

const two = (n: number) => String(n).padStart(2, '0');
const ROWS = 5000;
const line = (i: number) =>
  `${i},2026-${two(1 + (i % 12))}-${two(1 + (i % 28))} ${two((i * 7) % 24)}:${two((i * 11) % 60)}:${two((i * 37) % 60)},B${i % 20},${i % 7}`;
const text = (rows: number) =>
  `no,at,branch,copies\n${Array.from({ length: rows }, (_, i) => line(i)).join('\n')}\n`;
const FACT: Edit = [{ do: 'set-table', table: 'visit', change: { role: 'fact', key: ['no'] } }];

async function saved(page: Page, choice: RegExp): Promise<{ path: string; text: string; name: string }> {
  await page.getByRole('button', { name: 'Save the profile', exact: true }).click();
  const download = page.waitForEvent('download');
  await page.getByRole('menuitem', { name: choice }).click();
  const file = await download;
  const path = await file.path();
  return { path, text: readFileSync(path, 'utf8'), name: file.suggestedFilename() };
}

test('what a row weighs: a column is opened, folded away, applied, compared, handed on, and taken back', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'What a row weighs');
  await loadText(request, id, 'visit', text(ROWS), { at: 'text' });
  await edited(request, id, FACT);
  await page.goto(`/m/${id}/storage`);
  const ruler = page.getByRole('listbox', { name: 'A row of visit' });
  await ruler.getByRole('option', { name: /^at: .* bits a row/ }).click();
  const opened = page.getByRole('region', { name: 'How at is held' });
  await expect(opened).toContainText('different values');
  await expect(opened.getByRole('table', { name: 'Ways to hold at' })).toContainText('✓');
  await expect(page).toHaveURL(/sel=column%3Avisit\.at/);
  // Along the ruler by keyboard.
  await ruler.focus();
  await page.keyboard.press('ArrowRight');
  await expect(page.getByRole('region', { name: 'How branch is held' })).toBeVisible();
  await page.keyboard.press('ArrowLeft');
  await expect(opened).toBeVisible();

  // Folded: the ruler below is shorter, and nothing is changed yet.
  await page.getByRole('button', { name: /^Fold: visit\.at, .*split date and time/ }).click();
  const folded = page.getByRole('group', { name: 'visit folded' });
  await expect(folded.getByRole('img', { name: /^at_second/ })).toBeVisible();
  expect((await stateOf(request, id)).model.tables.map((t) => t.name)).toEqual(['visit']);
  // Of one column one thing is done at a time.
  await page.getByRole('button', { name: /^Fold: visit\.at, .*keep the day only/ }).click();
  await expect(folded.getByRole('img', { name: /^at_second/ })).toHaveCount(0);
  await page.getByRole('button', { name: /^Fold: visit\.at, .*split date and time/ }).click();
  await page.getByRole('button', { name: 'Apply 1 fold' }).click();
  await expect(ruler.getByRole('option', { name: /^at_second: / })).toBeVisible();
  await expect(page.getByRole('region', { name: 'visit', exact: true })).toContainText('made by steps');
  await expect(folded).toHaveCount(0);

  // Beside the profile of before, on the rulers and in the list.
  await page.getByLabel('Compare with', { exact: true }).selectOption({ index: 1 });
  const compared = page.getByRole('region', { name: 'Compared' });
  await expect(compared.getByRole('row', { name: /visit\.at_second new/ })).toBeVisible();
  await expect(compared.getByRole('row', { name: /visit\.at shrank/ })).toBeVisible();
  await expect(page.getByRole('group', { name: 'visit before' })).toBeVisible();
  await page.reload();
  await expect(compared).toContainText('shrank');

  const json = await saved(page, /^Profile to hand on/);
  expect(json.text).toContain('"creaseProfile": 1');
  expect(json.text).not.toContain('B19');
  const html = await saved(page, /^Page to hand on/);
  expect(html.name).toMatch(/\.profile\.html$/);
  expect(html.text).toContain('what a row weighs');
  expect(html.text).not.toContain('B19');

  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(ruler.getByRole('option', { name: /^at_second: / })).toHaveCount(0);
  // What was handed on is opened beside what is here now; a file that is none is said.
  await page.getByLabel('File of a profile').setInputFiles(json.path);
  await expect(compared.getByRole('row', { name: /visit\.at_second gone/ })).toBeVisible();
  await page
    .getByLabel('File of a profile')
    .setInputFiles({ name: 'other.json', mimeType: 'application/json', buffer: Buffer.from('{}') });
  await expect(page.getByText(/other\.json is no profile to hand on/)).toBeVisible();
});

test('all columns in one list: searched, sorted, walked by keyboard, saved', async ({ page }) => {
  await page.goto('/m/1/storage?view=columns');
  const list = page.getByRole('grid', { name: 'All columns' });
  await expect(list.getByRole('row').nth(1)).toContainText('loan_export.lent_at');
  await list.getByRole('button', { name: 'spare' }).click();
  await expect(list.getByRole('columnheader', { name: 'spare' })).toHaveAttribute('aria-sort', 'descending');
  await expect(page).toHaveURL(/order=spare/);
  await page.getByLabel('Search columns').fill('relationship loan_branch');
  await expect(list.getByRole('row')).toHaveCount(3);
  await list.focus();
  await page.keyboard.press('ArrowDown');
  await expect(page).toHaveURL(/sel=column%3A(loan_export|branch)\./);
  await page.getByLabel('Search columns').fill('');
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save the list as CSV' }).click();
  const csv = readFileSync(await (await download).path(), 'utf8');
  expect(csv.split('\n')[0]).toMatch(/^column,type,bytes/);
  await page.getByRole('button', { name: 'Beside Parquet' }).click();
  await expect(list.getByRole('columnheader', { name: 'Parquet', exact: true })).toBeVisible();
  await expect(page.getByText(/B here, .*B there/)).toBeVisible();
  await page.getByLabel('Search columns').fill('no such column');
  await expect(page.getByText('No column matches.')).toBeVisible();
});

test('a budget is written in bytes, judged, and taken away; a word that is none is said', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'A budget');
  await loadText(request, id, 'visit', text(500), { at: 'text' });
  await edited(request, id, FACT);
  await page.goto(`/m/${id}/storage`);
  const table = page.getByRole('region', { name: 'visit', exact: true });
  await table.getByRole('button', { name: 'budget' }).click();
  await table.getByLabel('Budget of visit').fill('1 kB');
  await page.keyboard.press('Enter');
  const claim = page.getByRole('button', { name: /^broken visit takes at most 1 kB/ });
  await expect(claim).toBeVisible();
  await expect(table.getByRole('button', { name: /% of 1 kB/ })).toBeVisible();
  await table.getByRole('button', { name: /% of 1 kB/ }).click();
  await table.getByLabel('Budget of visit').fill('plenty');
  await page.keyboard.press('Enter');
  await expect(page.getByText('"plenty" are no bytes')).toBeVisible();
  await table.getByRole('button', { name: /% of 1 kB/ }).click();
  await page.keyboard.press('Escape');
  await expect(table.getByRole('button', { name: /% of 1 kB/ })).toBeVisible();
  await table.getByRole('button', { name: /% of 1 kB/ }).click();
  await table.getByLabel('Budget of visit').fill('');
  await page.keyboard.press('Enter');
  await expect(table.getByRole('button', { name: 'budget', exact: true })).toBeVisible();
  await expect(claim).toHaveCount(0);
});

test('a model without rows says so, and one whose table has none weighs the rest', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'Nothing held');
  await page.goto(`/m/${id}/storage`);
  await expect(page.getByText('Nothing is held yet.')).toBeVisible();
  await loadText(request, id, 'visit', text(50));
  await edited(request, id, [
    ...FACT,
    {
      do: 'put-tables',
      name: null,
      value: { name: 'planned', role: 'dimension', columns: [{ name: 'x', type: 'text' }] },
    },
  ]);
  await expect(page.getByRole('listbox', { name: 'A row of visit' })).toBeVisible();
  await expect(page.getByRole('region', { name: 'planned', exact: true })).toContainText('no rows yet');
});

test('a year’s parts: the rule, rows brought there, a later file that changes one part, closed and removed', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'In parts');
  const day = (i: number) => `${2024 + (i % 2)}-${two(1 + (i % 12))}-15`;
  const rows = (from: number, count: number) =>
    Array.from({ length: count }, (_, k) => `${from + k},${day(from + k)},${k}`).join('\n');
  await loadText(request, id, 'visit', `no,day,copies\n${rows(0, 60)}\n`);
  await edited(request, id, FACT);
  await page.goto(`/m/${id}/storage`);
  await page.getByRole('button', { name: 'parts', exact: true }).click();
  const parts = page.getByRole('region', { name: 'Parts of visit' });
  await parts.getByLabel('kept in parts by').selectOption('day');
  await expect(parts.getByLabel('one for each')).toHaveValue('year');
  await parts.getByRole('button', { name: 'bring them there now' }).click();
  await expect(page.getByText('visit lies in 2 parts')).toBeVisible();
  const list = parts.getByRole('table', { name: 'Parts' });
  await expect(list.getByRole('row', { name: /2024 30 / })).toBeVisible();

  await parts.getByRole('button', { name: 'Close 2024' }).click();
  await expect(parts.getByRole('button', { name: 'Open 2024' })).toBeVisible();
  // A file with rows of both years: the closed one is refused, by choice the other comes in.
  await page.goto(`/m/${id}/intake`);
  const file = (name: string) => ({
    name,
    mimeType: 'text/csv',
    buffer: Buffer.from(`no,day,copies\n100,2024-05-01,1\n101,2025-05-01,2\n102,2026-05-01,3\n`),
  });
  await page.locator('input[type=file]').first().setInputFiles(file('visit.csv'));
  await expect(page.getByLabel('Existing rows')).toHaveValue('parts');
  await page.getByRole('button', { name: 'Dry run' }).click();
  await expect(page.getByText(/the part 2024 of visit is closed/).first()).toBeVisible();
  await page.getByLabel('only the parts').fill('2025, 2026');
  await page.getByRole('button', { name: 'Dry run' }).click();
  await expect(
    page.getByText('2025: 30 → 1 row; 2026: new, 1 row; 1 row of other parts not taken'),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Import 1 table' }).click();
  await expect(page.getByText('Imported: 2 rows stored')).toBeVisible();

  await page.goto(`/m/${id}/storage?parts=visit`);
  await expect(list.getByRole('row', { name: /2025 1 .*2025-05-01.*visit\.csv/ })).toBeVisible();
  await expect(list.getByRole('row', { name: /2024 30 / })).toBeVisible();
  await parts.getByLabel('Choose 2026').check();
  await parts.getByRole('button', { name: 'Remove 1 part with 1 row' }).click();
  await expect(parts.getByLabel('Choose 2026')).toHaveCount(0);
  await expect(parts.getByLabel('Choose 2024')).toBeDisabled();
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await page.getByRole('dialog').getByRole('button', { name: 'Undo' }).click();
  await expect(parts.getByLabel('Choose 2026')).toBeVisible();
});
