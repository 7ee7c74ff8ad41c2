import { readFileSync } from 'node:fs';
import type { Page } from '@playwright/test';
import { expect, test } from './journey.ts';

// A question as its users put it: in words, by parts, on the spot; and an answer that is opened and drawn.

const model = '/m/1';

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

const open = (page: Page, query: object, more = '') =>
  page.goto(`${model}/trial?q=${encodeURIComponent(JSON.stringify(query))}${more}`);
const questionOf = (page: Page): unknown => JSON.parse(new URL(page.url()).searchParams.get('q')!);

test('a question is written in words; while a part is unfinished the answer stands', async ({ page }) => {
  await page.goto(`${model}/trial`);
  const answer = page.getByRole('table', { name: 'The answer' });
  await expect(answer.getByRole('columnheader', { name: 'Loans' })).toBeVisible();
  await page.getByRole('button', { name: 'Write the question' }).click();
  const text = page.getByRole('textbox', { name: 'The question in words' });
  await expect(text).toBeFocused();
  await page.keyboard.press('ControlOrMeta+A');
  await page.keyboard.type('show Loans, Fines by Region where calendar.year = 2025 and last 18 months');
  await page.keyboard.press('Escape');
  await expect(answer.getByRole('columnheader', { name: 'Fines' })).toBeVisible();
  await expect
    .poll(() => questionOf(page))
    .toEqual({
      measures: ['Loans', 'Fines'],
      by: ['district.region'],
      filters: [{ column: 'calendar.year', in: [2025] }, { period: 'last 18 months' }],
    });
  // Unfinished: the answer stays, and what is missing is said.
  if (!(await text.isVisible())) await page.getByRole('button', { name: 'Write the question' }).click();
  await page.keyboard.press('End');
  await page.keyboard.type(' sorted by ');
  await expect(page.getByRole('status').filter({ hasText: 'something has to follow sorted' })).toBeVisible();
  await expect(answer.getByRole('columnheader', { name: 'Fines' })).toBeVisible();
  // Completion knows what may follow.
  await page.keyboard.type('Fin');
  await expect(page.getByRole('option', { name: /^Fines ?measure/ })).toBeVisible();
  await page.keyboard.press('Enter');
  await page.keyboard.type(' descending');
  await page.keyboard.press('Escape');
  await expect.poll(() => questionOf(page)).toMatchObject({ sort: [{ of: 'Fines', order: 'descending' }] });
  // What a heading sorts is written anew.
  if (!(await text.isVisible())) await page.getByRole('button', { name: 'Write the question' }).click();
  await answer.getByRole('button', { name: 'Loans' }).click();
  await expect(text).toHaveText(/sorted by Loans descending/);
  await page.getByRole('button', { name: 'Done' }).click();
  await expect(page.getByRole('button', { name: 'Remove sorted by Loans, descending' })).toBeVisible();
  await page.getByRole('button', { name: 'Remove sorted by Loans, descending' }).click();
  await expect.poll(() => questionOf(page)).not.toHaveProperty('sort');
  // The last n of any unit, by its number.
  await page.getByRole('button', { name: 'last 18 months', exact: true }).click();
  await page.getByLabel('How many units').fill('6');
  await page.keyboard.press('Escape');
  await expect
    .poll(() => questionOf(page))
    .toMatchObject({
      filters: [{ column: 'calendar.year', in: [2025] }, { period: 'last 6 months' }],
    });
});

test('parts on the spot are asked, changed, and kept in the model; undo takes them back', async ({
  page,
}) => {
  await open(page, { measures: ['Loans'], by: [], filters: [] });
  const answer = page.getByRole('table', { name: 'The answer' });
  await page.getByRole('button', { name: 'Add a measure' }).click();
  await page.getByRole('button', { name: 'measure by a formula …' }).click();
  await page.getByLabel('Name of the measure on the spot').fill('Loans');
  await page.getByLabel('Formula on the spot').fill('count(loan_export) * 2');
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(page.getByText('The model has a measure of this name')).toBeVisible();
  await page.getByLabel('Name of the measure on the spot').fill('Twice');
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(answer.getByRole('columnheader', { name: 'Twice' })).toBeVisible();
  await page.getByRole('button', { name: 'Add an attribute' }).click();
  await page.getByRole('button', { name: 'attribute by a formula …' }).click();
  await page.getByLabel('Table of the attribute on the spot').selectOption('branch');
  await page.getByLabel('Name of the attribute on the spot').fill('initial');
  await page.getByLabel('Formula on the spot').fill('substring(name, 1, 1)');
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(answer.getByRole('columnheader', { name: 'initial' })).toBeVisible();
  const rows = await answer.getByRole('row').count();
  expect(rows).toBeGreaterThan(4);
  // Kept: from then on they are of the model, and the answer is the same.
  await page.getByRole('button', { name: 'initial', exact: true }).click();
  await page.getByRole('button', { name: 'Save as a column of branch' }).click();
  await expect.poll(() => questionOf(page)).toMatchObject({ by: ['branch.initial'] });
  await page.getByRole('button', { name: 'Twice', exact: true }).first().click();
  await page.getByRole('button', { name: 'Save as a measure' }).click();
  await expect.poll(() => questionOf(page)).toMatchObject({ measures: ['Loans', 'Twice'] });
  await expect(answer.getByRole('row')).toHaveCount(rows);
  await page.goto(`${model}/measures?sel=measure:Twice`);
  await expect(page.getByRole('heading', { name: 'Twice' }).first()).toBeVisible();
  await page.getByRole('button', { name: /^Undo/ }).click();
  await page.getByRole('button', { name: /^Undo/ }).click();
  await open(page, { measures: ['Twice'], by: [] });
  await expect(page.getByRole('alert')).toContainText('there is no measure "Twice"');
});

test('a column is asked for by its default aggregate, and no more once a measure stands for it', async ({
  page,
}) => {
  await open(page, { measures: ['Loans'], by: ['branch.town'] });
  await page.getByRole('button', { name: 'Add a measure' }).click();
  await page.getByRole('textbox', { name: 'Add a measure' }).fill('column by its aggregate');
  const first = page.getByRole('listbox').getByRole('option').first();
  const name = (await first.textContent())!.replace('column by its aggregate', '');
  await first.getByRole('button').click();
  await expect(
    page.getByRole('table', { name: 'The answer' }).getByRole('columnheader', { name }),
  ).toBeVisible();
});

test('rows are opened in place down a hierarchy and by any attribute; their numbers have rows behind them', async ({
  page,
}) => {
  await open(page, {
    measures: ['Loans', 'Fines'],
    by: [{ hierarchy: 'branch.Geography', level: 'Region' }],
  });
  const answer = page.getByRole('table', { name: 'The answer' });
  const cellOf = async (name: string) => {
    const row = answer
      .getByRole('row')
      .filter({ has: page.getByRole('button', { name: `${name}` }) })
      .first();
    return Number((await row.getByRole('button').nth(1).textContent())!.replace(/[^\d]/g, ''));
  };
  const region = await cellOf('Open Coast');
  await answer.getByRole('button', { name: 'Open Coast' }).press('Enter');
  await expect(answer.getByRole('button', { name: 'Close Coast' })).toBeVisible();
  await expect(answer.getByRole('button', { name: 'Open Saltmarsh' })).toBeVisible();
  expect((await cellOf('Open Saltmarsh')) + (await cellOf('Open Harbour Row'))).toBe(region);
  await answer.getByRole('button', { name: 'Open Saltmarsh' }).click();
  await expect(answer.getByRole('button', { name: 'Close Saltmarsh' })).toBeVisible();
  const opened = await answer.getByRole('row').count();
  expect(opened).toBeGreaterThan(7);
  // The number of a row below is explained, and has rows.
  const town = answer.getByRole('row').filter({ has: page.getByRole('button', { name: 'Close Saltmarsh' }) });
  await town.getByRole('button').nth(1).click();
  await page.getByRole('button', { name: 'Rows behind it' }).click();
  const rows = page.getByRole('region', { name: 'Rows behind the number' });
  await expect(rows.getByRole('status')).toContainText('as the answer has');
  await rows.getByRole('button', { name: 'Back to the answer' }).click();
  // By a path of choice: nothing lies below a branch.
  await open(page, { measures: ['Loans'], by: ['branch.name'], subtotals: true });
  await answer.getByRole('button', { name: 'Open Ashby Ferry Central by …' }).click();
  await page.getByLabel('Open by').fill('calendar.year');
  await page.getByRole('button', { name: 'calendar.year', exact: true }).click();
  await expect(answer.getByRole('row').nth(2)).toContainText('2024');
});

test('rows of a table laid out across are opened in place; their cells and totals have rows behind them', async ({
  page,
}) => {
  await open(page, {
    measures: ['Loans'],
    by: [{ hierarchy: 'branch.Geography', level: 'Region' }],
    across: ['calendar.year'],
  });
  const answer = page.getByRole('table', { name: 'The answer' });
  const numbersOf = async (name: string) => {
    const row = answer.getByRole('row').filter({ has: page.getByRole('button', { name }) });
    await expect(row).toBeVisible();
    const texts = await row.locator('button.num').allTextContents();
    return texts.map((text) => Number(text.replace(/[^\d]/g, '')));
  };
  const region = await numbersOf('Open Coast');
  expect(region.length).toBeGreaterThan(2);
  await answer.getByRole('button', { name: 'Open Coast' }).press('Enter');
  const [one, other] = [await numbersOf('Open Saltmarsh'), await numbersOf('Open Harbour Row')];
  expect(one.map((n, i) => n + other[i]!)).toEqual(region);
  const town = answer.getByRole('row').filter({ has: page.getByRole('button', { name: 'Open Saltmarsh' }) });
  const rows = page.getByRole('region', { name: 'Rows behind the number' });
  for (const place of [0, one.length - 1]) {
    await town.locator('button.num').nth(place).click();
    await page.getByRole('button', { name: 'Rows behind it' }).click();
    await expect(rows.getByRole('status')).toContainText(one[place]!.toLocaleString('en'));
    await rows.getByRole('button', { name: 'Back to the answer' }).click();
    await answer.getByRole('button', { name: 'Open Coast' }).click();
  }
  await answer.getByRole('button', { name: 'Close Coast' }).click();
  await expect(town).toHaveCount(0);
});

test('subtotals stand below their groups, each with its own context', async ({ page }) => {
  await open(page, { measures: ['Borrowers'], by: ['district.region', 'calendar.year'] });
  await page.getByRole('button', { name: 'Add to the answer' }).click();
  await page.getByRole('option', { name: 'with subtotals' }).getByRole('button').click();
  const answer = page.getByRole('table', { name: 'The answer' });
  const subtotal = answer.getByRole('row').filter({ hasText: 'subtotal' }).first();
  await expect(subtotal).toBeVisible();
  await subtotal.getByRole('button').first().click();
  await expect(page.getByLabel('Explanation of the cell')).toContainText('Borrowers');
  await page.getByRole('button', { name: 'Remove with subtotals' }).click();
  await expect(subtotal).toBeHidden();
});

test('how an answer was worked out is told where one asks for it, with the rows that the conditions left', async ({
  page,
}) => {
  await open(page, {
    measures: ['Loans'],
    by: ['district.region'],
    filters: [{ where: 'calendar.year = 2025' }],
  });
  const total = page.getByRole('row').filter({ hasText: 'total' }).last();
  const loans = (await total.getByRole('button').first().textContent())!;
  await page.getByRole('button', { name: 'How it was worked out' }).press('Enter');
  const how = page.getByRole('region', { name: 'How it was worked out' });
  await expect(how).toContainText(`${loans} left by district.region where calendar.year`);
  await expect(how).toContainText('in all');
});

test('a chart is drawn in another form, with two axes, saved as a picture, and kept with its trial', async ({
  page,
}) => {
  await open(page, { measures: ['Loans', 'Visitors'], by: ['calendar.year_month'] }, '&view=chart');
  const form = page.getByLabel('Form of the chart');
  await expect(form).toHaveValue('line');
  await page.getByRole('checkbox', { name: 'Visitors' }).click();
  await page.getByRole('checkbox', { name: 'one scale for both' }).click();
  await expect.poll(() => new URL(page.url()).searchParams.get('same')).toBe('1');
  await form.selectOption('scatter');
  const saved = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save the picture' }).click();
  const file = readFileSync(await (await saved).path());
  expect(file.subarray(1, 4).toString()).toBe('PNG');
  expect(file.length).toBeGreaterThan(5000);
  await page.getByRole('button', { name: 'Kept trials' }).click();
  await page.getByLabel('Name of the trial').fill('Loans against visitors');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Loans against visitors', exact: true })).toBeVisible();
  await page.goto(`${model}/trial`);
  await page.getByRole('button', { name: 'Kept trials' }).click();
  await page.getByRole('button', { name: 'Loans against visitors', exact: true }).click();
  await expect(form).toHaveValue('scatter');
  await form.selectOption('line');
  await expect(page.getByRole('checkbox', { name: 'Visitors' })).toBeChecked();
  // A point is a cell: it is explained.
  const chart = page.getByRole('img', { name: /^Chart of/ });
  await chart.click({ position: { x: 300, y: 200 } });
  await expect(page.getByLabel('Explanation of the cell')).toBeVisible();
  await page.getByRole('button', { name: /^Undo/ }).click();
});

test('the whole application is seen as an audience sees it, and nothing can be changed so', async ({
  page,
}) => {
  await page.goto(`${model}/measures`);
  await page.getByLabel('Audience').selectOption('Branch managers');
  await expect(page.getByText(/^Seen as Branch managers/)).toBeVisible();
  await expect(page.getByText('3 measures')).toBeVisible();
  // The eyes go along to other stages, by link and by reload.
  await page
    .getByRole('navigation', { name: 'Stages' })
    .getByRole('link', { name: /^Stars/ })
    .click();
  await expect(page.getByText(/1 fact, 3 dimensions/)).toBeVisible();
  await page.reload();
  await expect(page.getByText(/1 fact, 3 dimensions/)).toBeVisible();
  await page
    .getByRole('navigation', { name: 'Stages' })
    .getByRole('link', { name: /^Measures/ })
    .click();
  await page.getByRole('checkbox', { name: 'Choose Loans', exact: true }).click();
  await page.getByRole('button', { name: 'Hide', exact: true }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'Nothing is changed while' })).toBeVisible();
  await page.getByRole('button', { name: 'See all as the modeler' }).click();
  await expect(page.getByText(/^Seen as/)).toBeHidden();
  await expect(page.getByText('3 measures')).toBeHidden();
});

test('what a change does to each audience is read before it is made', async ({ page }) => {
  await page.goto(`${model}/hierarchies?sel=hierarchy:branch.Geography`);
  await page.getByRole('button', { name: 'Delete hierarchy' }).click();
  await expect(page.getByRole('list', { name: 'Effect on perspectives' })).toContainText(
    'Branch managers breaks',
  );
  await page.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByRole('button', { name: 'Delete hierarchy' })).toBeVisible();
});

test('an answer stands beside that of an earlier revision; a slow question is cancelled and asked again', async ({
  page,
}) => {
  await page.goto(`${model}/measures?sel=measure:Loans`);
  const formula = page.getByRole('textbox', { name: 'Formula', exact: true });
  await formula.click();
  await page.keyboard.press('ControlOrMeta+A');
  await page.keyboard.type('count(loan_export) + 1');
  await page.keyboard.press('ControlOrMeta+Enter');
  await expect(page.getByText('change the measure Loans').first()).toBeVisible();
  await open(page, { measures: ['Loans'], by: ['district.region'] });
  await page.getByRole('button', { name: 'Compare with another question' }).click();
  await expect(page.getByText(/rows are the same/)).toBeVisible();
  const revisions = page.getByLabel('Revision of A');
  const before = await revisions.locator('option').nth(1).getAttribute('value');
  await revisions.selectOption(before);
  await expect(page.getByText(/4 of 4 rows differ/)).toBeVisible();
  await page.reload();
  await expect(page.getByText(/4 of 4 rows differ/)).toBeVisible();
  await page.getByRole('button', { name: 'End', exact: true }).click();
  await page.getByRole('button', { name: /^Undo/ }).first().click();
  // A slow server: the question is given up, the answer before stands, and it is asked again.
  await expect(page.getByRole('table', { name: 'The answer' })).toBeVisible();
  let isSlow = true;
  await page.route('**/query', async (route) => {
    while (isSlow) await new Promise((resume) => setTimeout(resume, 100));
    await route.continue().catch(() => undefined);
  });
  await page.getByRole('button', { name: 'Remove district.region' }).click();
  await page.getByRole('button', { name: 'Cancel', exact: true }).click();
  await expect(page.getByText('The question was cancelled')).toBeVisible();
  isSlow = false;
  await page.getByRole('button', { name: 'Ask again' }).click();
  await expect(page.getByText('The question was cancelled')).toBeHidden();
  await expect(page.getByRole('table', { name: 'The answer' }).getByRole('row')).toHaveCount(2);
});

test('the rows of several cells are opened together, and add up to all of them', async ({ page }) => {
  await open(page, { measures: ['Loans', 'Fines'], by: ['district.region'] });
  const answer = page.getByRole('table', { name: 'The answer' });
  const valueAt = async (row: number) =>
    Number(
      (await answer.getByRole('row').nth(row).getByRole('button').nth(1).textContent())!.replace(
        /[^\d]/g,
        '',
      ),
    );
  const cell = (row: number, column: number) =>
    answer.getByRole('row').nth(row).getByRole('button').nth(column);
  await cell(1, 1).click();
  await page.getByRole('button', { name: 'Add to a selection' }).click();
  await cell(2, 1).click();
  await page.getByRole('button', { name: 'Add to a selection' }).click();
  // Another measure does not add up with these.
  await cell(2, 2).click();
  await expect(page.getByRole('button', { name: 'Add to a selection' })).toBeHidden();
  const sum = (await valueAt(1)) + (await valueAt(2));
  await page.getByRole('button', { name: 'Rows behind 2 selected cells' }).click();
  const rows = page.getByRole('region', { name: 'Rows behind the number' });
  await expect(rows.getByRole('status')).toContainText(sum.toLocaleString('en'));
  await rows.getByRole('button', { name: 'Back to the answer' }).click();
  await cell(1, 1).click();
  await page.getByRole('button', { name: 'Clear the selection' }).click();
  await expect(page.getByRole('button', { name: 'Rows behind 2 selected cells' })).toBeHidden();
});
