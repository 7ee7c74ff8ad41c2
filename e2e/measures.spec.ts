import type { Page } from '@playwright/test';
import { expect, test } from './journey.ts';

// Measures as a catalog: periods, goals, many at once, to a spreadsheet and back, all of it undone.

const model = '/m/1';
test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

const undo = (page: Page) => page.getByRole('button', { name: 'Undo', exact: true }).first().click();
const catalog = (page: Page) => page.getByRole('grid', { name: 'Catalog' });

test('a measure gets periods by a role and a goal; the trial shows both; undo takes them back', async ({
  page,
}) => {
  await page.goto(`${model}/measures?sel=measure:Loans`);
  const design = page.getByRole('region', { name: 'The measure' });
  await design.getByText('Periods', { exact: true }).click();
  await design.getByLabel('year to date', { exact: true }).click();
  await expect(design.getByLabel('year to date', { exact: true })).toBeChecked();
  await design.getByLabel('Relationship of the periods').selectOption('returned_on');
  await expect(design.getByLabel('year to date', { exact: true })).not.toBeChecked();
  await design.getByLabel('Another period').fill('last 3 months');
  await design.getByRole('button', { name: 'Add' }).click();
  await expect(design.getByLabel('last 3 months')).toBeChecked();
  await design.getByLabel('Goal', { exact: true }).selectOption('value');
  await design.getByLabel('Goal as a number').fill('2000');
  await design.getByLabel('Shares of the goal').fill('50 %, x');
  await expect(design.getByRole('alert')).toContainText('write shares');
  await design.getByLabel('Shares of the goal').fill('50 %, 100 %');
  await design.getByLabel('Shares of the goal').blur();
  await design.getByRole('button', { name: 'Save' }).click();
  await page.getByLabel('Filter', { exact: true }).fill('over Loans');
  await expect(catalog(page).getByRole('row', { name: /last 3 months, returned on/ })).toBeVisible();

  const query = {
    by: ['branch.name'],
    measures: ['Loans', 'Loans, last 3 months, returned on'],
    totals: true,
  };
  await page.goto(`${model}/trial?q=${encodeURIComponent(JSON.stringify(query))}`);
  const answer = page.getByRole('table', { name: 'The answer' });
  await expect(answer.getByRole('columnheader', { name: /^Loans goal: 2000/ })).toBeVisible();
  await expect(answer.getByText('missed').first()).toBeVisible();
  await expect(answer.getByRole('row').last()).toContainText('met');
  await page.goto(`${model}/measures?sel=measure:Loans`);
  for (let i = 0; i < 3; i++) {
    await undo(page);
    await page.waitForTimeout(300);
  }
  await expect(design.getByLabel('Goal', { exact: true })).toHaveValue('none');
  await expect(catalog(page).getByText('last 3 months')).toHaveCount(0);
});

test('many are chosen by key, formatted, renamed and removed in one act each', async ({ page }) => {
  await page.goto(`${model}/measures?sort=name&kind=measure`);
  await expect(catalog(page).getByLabel('Choose Borrowers')).toBeVisible();
  await catalog(page).focus();
  await page.keyboard.press('Home');
  await page.keyboard.press(' ');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Shift+ ');
  const panel = page.getByRole('region', { name: 'Chosen objects' });
  await expect(panel).toContainText('3 objects');
  await panel.getByLabel('Change of the chosen objects').selectOption('format');
  await panel.getByLabel('decimals').fill('3');
  await panel.getByRole('button', { name: 'Apply 1 part' }).click();
  await expect(catalog(page).getByRole('row').nth(1)).toContainText('1,234.500');
  await panel.getByLabel('Change of the chosen objects').selectOption('names');
  await panel.getByLabel('add after').fill(' now');
  await panel.getByRole('button', { name: 'Rename 3 measures' }).click();
  await expect(catalog(page).getByRole('row').nth(1)).toContainText('now');
  await undo(page);
  await expect(catalog(page).getByText(/ now$/)).toHaveCount(0);
  await undo(page);

  await page.getByLabel('Choose Loans', { exact: true }).check();
  await panel.getByLabel('Change of the chosen objects').selectOption('remove');
  await expect(panel.getByRole('status')).toContainText('Broken without them: Loans per borrower');
  await panel.getByRole('button', { name: 'Remove 1 measure' }).click();
  await expect(catalog(page).getByLabel('Choose Loans', { exact: true })).toHaveCount(0);
  const here = page.url();
  await page.goto(`${model}/measures?sel=measure:Loans`);
  await expect(page.getByText('This measure does not exist any more.')).toBeVisible();
  await page.goto(here);
  await undo(page);
  await expect(catalog(page).getByLabel('Choose Loans', { exact: true })).toBeVisible();
});

test('base measures are made of columns, and cells of a spreadsheet become measures', async ({ page }) => {
  await page.goto(`${model}/measures`);
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Measures from columns' }).click();
  const form = page.getByRole('region', { name: 'Measures from columns' });
  await form.getByLabel('loan_export.fine').check();
  await form.getByLabel('avg').check();
  await expect(form.getByRole('list', { name: 'New measures' })).toContainText('avg(loan_export.fine)');
  await form.getByRole('button', { name: 'Add 2 measures' }).click();
  await page.getByLabel('Filter', { exact: true }).fill('Average fine');
  await expect(catalog(page).getByRole('row', { name: /Average fine/ })).toContainText(
    'avg(loan_export.fine)',
  );
  await undo(page);

  await page.getByLabel('Filter', { exact: true }).fill('');
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Paste measures' }).click();
  const paste = page.getByRole('region', { name: 'Paste measures' });
  await paste
    .getByLabel('Cells of a spreadsheet')
    .fill('name\tformula\nHolds twice\t2 * "Holds"\nNothing\t\nLoans\tcount(loan_export)');
  await expect(paste.getByRole('status')).toContainText('1 measure added');
  await expect(paste.getByRole('list')).toContainText('line 3: Nothing is new and has no formula');
  await paste.getByRole('button', { name: 'Apply' }).click();
  await page.getByLabel('Filter', { exact: true }).fill('twice');
  await expect(catalog(page).getByRole('row', { name: /Holds twice/ })).toBeVisible();
  await undo(page);
  await expect(catalog(page).getByRole('row', { name: /Holds twice/ })).toHaveCount(0);
});

test('a measure tells what it adds up over; a trial is asked in SQL too, and stands beside another one', async ({
  page,
}) => {
  await page.goto(`${model}/measures?sel=measure:Borrowers`);
  await page.getByText('Adds up over').click();
  const adds = page.getByRole('table', { name: 'Dimensions that the measure adds up over' });
  await expect(adds.getByRole('row', { name: /^branch/ })).toContainText('a distinct count');
  await expect(page.getByRole('region', { name: 'Built of', exact: true })).toContainText('card_no');

  const trial = (year: number) =>
    JSON.stringify({
      by: ['branch.name'],
      measures: ['Loans', 'Borrowers'],
      filters: [{ where: `calendar.year = ${year}` }],
    });
  await page.goto(`${model}/trial?q=${encodeURIComponent(trial(2024))}`);
  await expect(page.getByRole('row', { name: /^total/ })).toContainText('not the sum');
  await expect(page.getByRole('region', { name: 'About this answer' })).toContainText('without a partner');
  await page.getByRole('button', { name: 'Compare with another question' }).click();
  const two = page.getByRole('region', { name: 'Two answers' });
  await expect(two.getByRole('status')).toContainText('rows are the same');
  await page.getByText('calendar.year = 2024').first().click();
  const condition = page.locator('textarea:visible');
  await condition.fill('calendar.year = 2025');
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(two.getByRole('status')).toContainText('rows differ');
  await two.getByRole('button', { name: 'End' }).click();
  await expect(page.getByRole('table', { name: 'The answer' })).toBeVisible();
  await page.getByRole('tab', { name: 'SQL' }).click();
  await page.getByRole('button', { name: 'Ask the SQL too' }).click();
  await expect(page.getByText(/SQLite gives the same answer: \d+ rows/)).toBeVisible();
});

test('an audience gets a title, loses a column of a whole table, and sees its trial so', async ({ page }) => {
  await page.goto(`${model}/perspectives?sel=perspective:Branch+managers`);
  await page.getByRole('button', { name: 'Unfold branch', exact: true }).click();
  await page.getByLabel('Filter objects').fill('Loans');
  await page.getByLabel('Title of Loans for Branch managers').fill('Lendings');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Title of Loans for Branch managers')).toHaveValue('Lendings');
  await page.getByLabel('Filter objects').fill('branch.town');
  await page.getByLabel('branch.town for Branch managers', { exact: true }).click();
  await expect(page.getByLabel('branch.town for Branch managers', { exact: true })).not.toBeChecked();
  await expect(page.getByLabel('branch.floor_area for Branch managers', { exact: true })).toHaveCount(0);
  await page.getByLabel('Filter objects').fill('branch.');
  await expect(page.getByLabel('branch.floor_area for Branch managers', { exact: true })).toBeChecked();
  await page.goto(`${model}/trial?as=Branch+managers`);
  await expect(page.getByRole('columnheader', { name: /Lendings/ })).toBeVisible();
  await page.goto(`${model}/perspectives?sel=perspective:Branch+managers`);
  await undo(page);
  await page.waitForTimeout(300);
  await undo(page);
  await page.getByLabel('Filter objects').fill('Loans');
  await expect(page.getByLabel('Title of Loans for Branch managers')).toHaveValue('');
});

test('what is typed of a measure stays while another window edits, and is said to be behind where it is', async ({
  page,
  context,
}) => {
  await page.goto(`${model}/measures?sel=measure:Fines`);
  const editor = page.getByLabel('Formula', { exact: true });
  await expect(editor).toContainText('sum(loan_export.fine)');
  const title = page.getByRole('textbox', { name: 'Title', exact: true });
  await title.fill('Fines asked for');
  const other = await context.newPage();
  // Of another measure: nothing is lost here.
  await other.goto(`${model}/measures?sel=measure:Holds`);
  const before = await other.getByText(/revision \d+/).innerText();
  await other.getByRole('textbox', { name: 'Title', exact: true }).fill('Held');
  await other.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(other.getByText(/revision \d+/)).not.toHaveText(before);
  await expect(page.getByText(/revision \d+/)).toHaveText(await other.getByText(/revision \d+/).innerText());
  await expect(title).toHaveValue('Fines asked for');
  await expect(page.getByText('changed elsewhere meanwhile')).toBeHidden();
  // Of this one: what is typed stays, and the other is shown once it is given up.
  await other.goto(`${model}/measures?sel=measure:Fines`);
  await other.getByRole('textbox', { name: 'Title', exact: true }).fill('Fines paid');
  await other.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText('changed elsewhere meanwhile')).toBeVisible();
  await expect(title).toHaveValue('Fines asked for');
  await page.getByRole('button', { name: 'Cancel', exact: true }).click();
  await expect(title).toHaveValue('Fines paid');
  await expect(page.getByText('changed elsewhere meanwhile')).toBeHidden();
  for (let i = 0; i < 2; i++) await other.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(title).toHaveValue('');
});
