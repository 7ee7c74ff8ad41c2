import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from './journey.ts';
import Database from 'better-sqlite3';
import { edited, loadText, newModel } from './byApi.ts';

// A model is released to a file, changed and released again; what stands against it is told.

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

const out = (name: string) => join(process.env.CREASE_JOURNEYS!, 'out', name);
function read<T>(file: string, sql: string): T {
  const db = new Database(file, { readonly: true });
  try {
    return db.prepare(sql).pluck().get() as T;
  } finally {
    db.close();
  }
}

test('a target is added, planned, released to, and to again after a change; a consumer sees it; the releases are listed', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'Released');
  await loadText(request, id, 'loan', 'no,copies\n1,5\n2,7\n', { no: 'integer', copies: 'integer' });
  await edited(request, id, [
    { do: 'set-table', table: 'loan', change: { role: 'fact', key: ['no'] } },
    { do: 'put-measures', name: null, value: { name: 'Copies', formula: 'sum(loan.copies)' } },
  ]);
  await page.goto(`/m/${id}/release`);
  const targets = page.getByRole('region', { name: 'Targets' });
  await targets.getByRole('button', { name: 'Add a target' }).click();
  const form = targets.getByRole('form', { name: 'New target' });
  await form.getByLabel('name').fill('mart');
  await form.getByLabel('file, beside the workspace').fill('../away.sqlite');
  await page.keyboard.press('Enter');
  await expect(form).toBeHidden();
  await targets.getByRole('button', { name: 'Plan a release' }).click();
  const plan = targets.getByRole('region', { name: 'Plan for mart' });
  await expect(plan.getByRole('alert')).toContainText('outside of the model');
  await expect(plan.getByRole('button', { name: /^Release/ })).toBeDisabled();
  await targets.getByRole('button', { name: 'Remove the target mart' }).click();
  await targets.getByRole('button', { name: 'Add a target' }).click();
  await form.getByLabel('name').fill('mart');
  await form.getByLabel('file, beside the workspace').fill('out/released.sqlite');
  await form.getByRole('button', { name: 'Add', exact: true }).click();
  await targets.getByRole('button', { name: 'Plan a release' }).click();
  const table = plan.getByRole('table', { name: 'Plan' });
  await expect(table.getByRole('row').nth(1)).toHaveText(/table loan\s*create\s*2/);
  await plan.getByText('Statements').click();
  await expect(plan.getByLabel('Statements')).toContainText('create table "loan"');
  await plan.getByLabel('by').fill('Maren Holt');
  await plan.getByRole('button', { name: 'Release as number 1' }).click();
  await expect(page.getByText(/release 1 to mart done/)).toBeVisible();
  expect(read(out('released.sqlite'), 'select sum(copies) from loan')).toBe(12);
  await expect(plan).toContainText('Nothing at the target differs');

  // A column more: the plan says so, and a consumer has it after the release.
  await edited(request, id, [
    { do: 'put-column', table: 'loan', value: { name: 'twice', type: 'integer', formula: 'copies * 2' } },
  ]);
  await expect(table.getByRole('row').nth(1)).toHaveText(/table loan\s*replace\s*2/);
  await targets.getByRole('button', { name: 'Changes since' }).click();
  await expect(page.getByRole('region', { name: /^Changes since revision/ })).toContainText('loan.twice');
  await plan.getByRole('button', { name: 'Release as number 2' }).click();
  await expect(page.getByText(/release 2 to mart done/)).toBeVisible();
  expect(read(out('released.sqlite'), 'select sum(twice) from loan')).toBe(24);
  await targets.getByText('2 releases so far').click();
  const log = targets.getByRole('table', { name: 'Releases so far' });
  await expect(log.getByRole('row')).toHaveCount(3);
  await expect(log.getByRole('row').nth(1)).toContainText('mart, number 2');
  await expect(log.getByRole('row').nth(2)).toContainText('Maren Holt');

  // Back to the first, and to the second again.
  await log.getByRole('button', { name: 'Go back to number 1 of mart' }).click();
  await expect(page.getByText(/release 3 to mart done/)).toBeVisible();
  expect(read(out('released.sqlite'), `select count(*) from pragma_table_info('loan')`)).toBe(2);
  await plan.getByRole('button', { name: 'Release as number 4' }).click();
  await expect(page.getByText(/release 4 to mart done/)).toBeVisible();
  expect(read(out('released.sqlite'), 'select sum(twice) from loan')).toBe(24);

  // Somebody changes the target: told, and brought back.
  const db = new Database(out('released.sqlite'));
  db.exec('update loan set copies = 100 where no = 1');
  db.close();
  // The open plan is part of the address.
  await page.reload();
  await expect(plan).toContainText('loan.copies added up to 12 and adds up to 107');
});

test('broken claims that block a release are told at the target, and nothing is written', async ({
  page,
}) => {
  await page.goto('/m/1/release');
  const targets = page.getByRole('region', { name: 'Targets' });
  await targets.getByRole('button', { name: 'Plan a release' }).click();
  const plan = targets.getByRole('region', { name: 'Plan for mart' });
  await expect(plan.getByRole('table', { name: 'Plan' })).toBeVisible();
  await expect(plan).toContainText('claims stand against a release');
  await expect(plan.getByRole('button', { name: 'Release as number 1' })).toBeDisabled();
  expect(existsSync(out('lantern-valley.sqlite'))).toBe(false);
});

test('seen as an audience, nothing is released, corrected or restored', async ({ page }) => {
  const as = `as=${encodeURIComponent('Branch managers')}`;
  await page.goto(`/m/1/release?${as}`);
  await expect(page.getByRole('region', { name: 'History' })).toBeVisible();
  await expect(page.getByRole('region', { name: 'Targets' })).toBeHidden();
  const query = { by: ['branch.name'], measures: ['Visitors'], limit: 2 };
  await page.goto(`/m/1/trial?${as}&q=${encodeURIComponent(JSON.stringify(query))}`);
  const answer = page.getByRole('table', { name: 'The answer' });
  await answer.getByRole('row').nth(1).locator('button.num').first().click();
  await page.getByRole('button', { name: 'Rows behind it' }).click();
  const rows = page.getByRole('region', { name: 'Rows behind the number' });
  await expect(rows.getByRole('status')).toContainText('as the answer has');
  await expect(rows.getByRole('button', { name: 'Correct the chosen value' })).toBeHidden();
  await page.goto(`/m/1/intake?view=loads&${as}`);
  await expect(page.getByRole('region', { name: 'Recipes' })).toBeVisible();
  await expect(page.getByRole('region', { name: 'Corrections' })).toBeHidden();
});

test('a revision of before is compared with now, object by object, restored, and had back by undo', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'Revisions');
  await loadText(request, id, 'loan', 'no,copies\n1,5\n', { no: 'integer', copies: 'integer' });
  await edited(request, id, [
    { do: 'put-measures', name: null, value: { name: 'Copies', formula: 'sum(loan.copies)' } },
    { do: 'put-trials', name: null, value: { name: 'All copies', query: { measures: ['Copies'] } } },
  ]);
  await edited(request, id, [
    { do: 'put-measures', name: 'Copies', value: { name: 'Copies', formula: 'sum(loan.copies) * 2' } },
    { do: 'rename', of: { table: 'loan' }, to: 'lending' },
  ]);
  await page.goto(`/m/${id}/release`);
  const history = page.getByRole('region', { name: 'History' });
  await expect(history.getByRole('listitem').first()).toContainText('current');
  await history.getByRole('listitem').nth(1).getByRole('button').first().press('Enter');
  const since = history.getByRole('region', { name: /^Changes since revision/ });
  await expect(since).toContainText('table lending was loan, as it seems');
  await expect(since).toContainText('sum(lending.copies) * 2');
  await since.getByRole('button', { name: 'Compare what kept trials answer' }).click();
  await expect(since).toContainText('All copies: 1 row of 1 differs; it was 5 and is 10');
  await since.getByRole('button', { name: /^Restore revision/ }).click();
  await expect(history.getByRole('listitem').first()).toContainText('restored revision');
  await page.goto(`/m/${id}/measures`);
  await expect(page.getByText('sum(loan.copies)', { exact: true }).first()).toBeVisible();
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(page.getByText('sum(lending.copies) * 2', { exact: true }).first()).toBeVisible();
});

test('what a change does to numbers, listings and targets is told before it is made, and after its undo', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'Impact');
  await loadText(request, id, 'loan', 'no,town,copies\n1,Pier,5\n2,Mill,7\n', {
    no: 'integer',
    copies: 'integer',
  });
  await edited(request, id, [
    { do: 'put-measures', name: null, value: { name: 'Copies', formula: 'sum(loan.copies)' } },
    { do: 'put-measures', name: null, value: { name: 'Loans', formula: 'count(loan)' } },
    {
      do: 'put-trials',
      name: null,
      value: { name: 'By town', query: { by: ['loan.town'], measures: ['Copies', 'Loans'] } },
    },
    { do: 'put-targets', name: null, value: { name: 'mart', kind: 'sqlite', file: 'out/impact.sqlite' } },
  ]);
  await page.goto(`/m/${id}/measures?sel=measure:Copies`);
  const formula = page.getByRole('textbox', { name: 'Formula', exact: true });
  await formula.click();
  await page.keyboard.press('ControlOrMeta+A');
  await page.keyboard.type('max(loan.copies)');
  await page.getByRole('button', { name: 'What would change?' }).click();
  const told = page.getByRole('region', { name: 'What would change' });
  await expect(told.getByRole('listitem')).toHaveText([/^Copies in total: 12 → 7$/]);
  await expect(told).toContainText('At targets: measure Copies');
  // It follows what is typed, and nothing was done.
  await formula.click();
  await page.keyboard.press('ControlOrMeta+A');
  await page.keyboard.type('max(loan.copies) * 2');
  await expect(told.getByRole('listitem')).toHaveText([
    /^Copies in total: 12 → 14$/,
    /^By town: 2 rows of 2 differ; for .* it was .* and is/,
  ]);
  await page.reload();
  await expect(formula).toHaveText('sum(loan.copies)');
});
