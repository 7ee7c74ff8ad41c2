import { readFileSync } from 'node:fs';
import type { Page } from '@playwright/test';
import { accessFaults } from './accessible.ts';
import { expect, test } from './journey.ts';

const demo = '/m/1';
const claim = (page: Page, id: string) => page.getByRole('article', { name: id, exact: true });
const broken = async (page: Page): Promise<number> =>
  Number(
    /(\d+) broken/.exec(
      (await page.getByRole('link', { name: /^Claims:/ }).getAttribute('aria-label')) ?? '',
    )?.[1],
  );
const judged = (page: Page) =>
  expect(page.getByRole('link', { name: /^Claims:.* 0 unchecked/ })).toBeVisible();

/** Errors of the page are failures of the journey. */
test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

test('from two files to a released definition', async ({ page }) => {
  await page.goto('/');
  await page.getByLabel('Title of a new model').fill('Reading rooms');
  await page.getByRole('button', { name: 'Create' }).click();
  await expect(page.getByText('Drop delimited text files here')).toBeVisible();

  await page.locator('#files').setInputFiles([
    {
      name: 'visit.csv',
      mimeType: 'text/csv',
      buffer: Buffer.from(
        'visit_no;room_code;seen_on;people\n1;R1;2026-01-05;4\n2;R2;2026-01-06;7\n3;R9;2026-01-06;2\n4;R1;2026-01-07;5\n5;R1\n',
      ),
    },
    {
      name: 'room.csv',
      mimeType: 'text/csv',
      buffer: Buffer.from('room_code,name\nR1,North room\nR2,South room\n'),
    },
  ]);
  const card = page.getByRole('region', { name: 'File visit.csv' });
  await expect(card.getByLabel('Delimiter')).toHaveValue(';');
  await expect(card.getByLabel('Type of seen_on')).toHaveValue('date');
  await expect(card.getByText('1 line will be left out and listed')).toBeVisible();
  await page.getByRole('button', { name: 'Import 2 tables' }).click();
  await expect(page.getByRole('table', { name: 'Tables of the model' }).getByRole('row')).toHaveCount(3);

  await page.getByRole('button', { name: 'Draft a star' }).click();
  await expect(page.getByText('visit.room_code refers to room.room_code')).toBeVisible();
  await expect(
    page.getByText('75 % of 4 filled rows find a partner; 1 do not', { exact: false }),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Accept all' }).click();
  await expect(page.getByRole('button', { name: 'fact table visit' })).toBeVisible();

  await page.getByRole('button', { name: /relationship visit_room, 1 orphans/ }).focus();
  await page.keyboard.press('Enter');
  await expect(claim(page, 'reference-complete:visit_room')).toContainText('R9');

  await page.getByRole('link', { name: 'Release', exact: false }).first().click();
  await page.getByRole('button', { name: 'Show' }).click();
  await expect(page.getByRole('alert')).toContainText('reference-complete:visit_room');
  const against = page.getByRole('region', { name: 'Blocking a release' }).getByRole('button');
  // The record that could not be read, and the room that is not there.
  await expect(against).toHaveCount(2);
  for (const left of [1, 0]) {
    await against.first().click();
    await page.getByRole('button', { name: 'Waive …' }).first().click();
    await page.getByLabel('Reason of the waiver').fill('the room was closed');
    await page.getByRole('button', { name: 'Waive', exact: true }).click();
    await expect(against).toHaveCount(left);
  }
  await expect(page.getByText('ready: every blocking claim holds or is waived')).toBeVisible();
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Definitions' }).click();
  const text = readFileSync(await (await download).path(), 'utf8');
  expect(text).toContain('create table "visit"');
  expect(text).toContain('foreign key ("room_code") references "room" ("room_code")');
});

test('a file with a title, markers for null and numbers of another country is corrected before it is stored, and loaded again as a part', async ({
  page,
}) => {
  await page.goto('/');
  await page.getByLabel('Title of a new model').fill('Gifts');
  await page.getByRole('button', { name: 'Create' }).click();
  const gifts = (rows: string) => ({
    name: 'gift.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(`Gifts of books\nexported 2026-06-30\nGift No;Given On;Value;Copies\n${rows}`),
  });
  await page
    .locator('#files')
    .setInputFiles(
      gifts(
        '1;03.01.2026;1.250,00;1.200\n2;17.01.2026;99,50;12\n3;11.03.2026;n/a;some\n4;30.03.2026;12.400,75;3\n',
      ),
    );
  const card = page.getByRole('region', { name: 'File gift.csv' });
  await expect(card.getByLabel('lines to skip')).toHaveValue('2');
  await expect(card.getByLabel('Texts that stand for null')).toHaveValue('n/a');
  await expect(card.getByLabel('Numbers of Value')).toHaveValue('1.234,5');
  await expect(card.getByLabel('Pattern of Given On')).toHaveValue('dd.MM.yyyy');
  await card.getByLabel('Type of Copies').selectOption('integer');
  await expect(card.getByText('1 does not fit')).toBeVisible();
  await card.getByText('1 value is not of the type of the column').click();
  await expect(card.getByText('Copies: “some”, 1 row, line 6')).toBeVisible();
  await card.getByLabel('Name of column 1').fill('no');
  await page.getByRole('button', { name: 'Import 1 table' }).click();
  await expect(page.getByText('Imported: 4 rows stored')).toBeVisible();

  // Again: it is read as the model says, under the names that the model has.
  await page.locator('#files').setInputFiles(gifts('5;01.04.2026;5,00;7\n'));
  await expect(card.getByLabel('Name of column 1')).toHaveValue('no');
  await expect(card.getByLabel('Type of Copies')).toHaveValue('integer');
  await card.getByLabel('as part').fill('April');
  await expect(card.getByText('The part April is added to gift')).toBeVisible();
  await page.getByRole('button', { name: 'Import 1 table' }).click();
  await expect(page.getByText('Imported: 1 row stored')).toBeVisible();
  await expect(
    page.getByRole('row', { name: /gift\.csv/ }).getByRole('cell', { name: '5', exact: true }),
  ).toBeVisible();
});

test('members are pasted from a spreadsheet, mended, and changed later; a calendar is generated', async ({
  page,
  context,
}) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await page.goto('/');
  await page.getByLabel('Title of a new model').fill('Funds');
  await page.getByRole('button', { name: 'Create' }).click();
  await page.getByRole('button', { name: 'New table' }).click();
  await page.getByRole('menuitem', { name: 'Type or paste rows' }).click();
  await page.getByLabel('table', { exact: true }).fill('fund');
  await page.evaluate(() =>
    navigator.clipboard.writeText('code\tname\tshare\nB\tBooks\t1.250,50\nM\tMaps\tmuch\n'),
  );
  await page.getByLabel('Name of column 1').focus();
  await page.keyboard.press('ControlOrMeta+v');
  await page.getByLabel('Type of column 3').selectOption('decimal(9,2)');
  await expect(page.getByText('1 value is not of the type of the column')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Create table' })).toBeDisabled();
  await page.getByLabel('Row 2, column 3').fill('3,00');
  await page.getByRole('button', { name: 'Create table' }).click();
  await page.getByRole('button', { name: 'Edit the rows of fund' }).click();
  await expect(page.getByLabel('Row 1, column 3')).toHaveValue('1250.50');
  await page.getByLabel('Row 2, column 2').fill('Atlases');
  await page.getByRole('button', { name: 'Save' }).click();

  await page.getByRole('button', { name: 'New table' }).click();
  await page.getByRole('menuitem', { name: 'Generate a calendar' }).click();
  await page.getByLabel('to', { exact: true }).fill('2020-01-01');
  await expect(page.getByText('the last day lies before the first')).toBeVisible();
  await page.getByLabel('from', { exact: true }).fill('2019-01-01');
  await page.getByLabel('fiscal year from').selectOption('July');
  await page.getByLabel('Include fiscal_year', { exact: true }).check();
  await page.getByRole('button', { name: 'Create calendar' }).click();
  await expect(page.getByRole('cell', { name: 'generated calendar' })).toBeVisible();
  await page.getByRole('link', { name: 'Hierarchies' }).click();
  await expect(page.getByText('Quarter').first()).toBeVisible();
});

test('a broken claim is mended by a remedy, and the mending is undone and done again', async ({ page }) => {
  await page.goto(`${demo}/hierarchies?sel=hierarchy:branch.Geography`);
  await judged(page);
  const before = await broken(page);
  const torn = claim(page, 'level-single-parent:branch.Geography.Town');
  await expect(torn).toContainText('Fernside');
  await torn.getByRole('button', { name: 'Apply: Tell Town apart within District' }).click();
  await expect.poll(() => broken(page)).toBe(before - 1);
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect.poll(() => broken(page)).toBe(before);
  await page.reload();
  await page.getByRole('button', { name: 'Redo', exact: true }).click();
  await judged(page);
  await expect.poll(() => broken(page)).toBe(before - 1);
  await page.keyboard.press('Control+z');
  await expect.poll(() => broken(page)).toBe(before);
});

test('two windows see each other’s edits, and each takes back its own', async ({ page, context }) => {
  const other = await context.newPage();
  await page.goto(`${demo}/shape?sel=table:branch`);
  await other.goto(`${demo}/shape?sel=table:branch`);
  await page.getByLabel('Grain').fill('one branch of the consortium');
  await page.getByLabel('Grain').press('Enter');
  await expect(other.getByLabel('Grain')).toHaveValue('one branch of the consortium');
  await expect(other.getByText('Changed in another window')).toBeVisible();
  await expect(other.getByRole('button', { name: 'Undo', exact: true }).first()).toBeDisabled();
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(other.getByLabel('Grain')).toHaveValue('one branch');
});

test('a damaged link to a trial says what is wrong with it, and asks another question', async ({ page }) => {
  for (const [q, fault] of [
    ['{"by"', 'not JSON'],
    ['{"measure":["Loans"]}', 'measure'],
  ] as const) {
    await page.goto(`${demo}/trial?q=${encodeURIComponent(q)}`);
    await expect(page.getByRole('alert').filter({ hasText: 'question in the address' })).toContainText(fault);
    await expect(page.getByRole('table', { name: 'The answer' })).toBeVisible();
  }
});

test('a trial: sentence, unmatched members, does not apply, explanation, chart', async ({ page }) => {
  await page.goto(`${demo}/trial`);
  await page.getByRole('button', { name: 'Add a measure' }).click();
  await page.getByRole('textbox', { name: 'Add a measure' }).fill('Budgeted');
  await page.keyboard.press('Enter');
  const answer = page.getByRole('table', { name: 'The answer' });
  await expect(answer.getByText('unmatched')).toBeVisible();
  await page.getByRole('button', { name: 'Add an attribute' }).click();
  await page.getByRole('textbox', { name: 'Add an attribute' }).fill('card.category');
  await page.keyboard.press('Enter');
  await expect(answer.getByText('does not apply by card.category')).toBeVisible();
  await expect(
    answer
      .getByRole('cell')
      .filter({ has: page.getByRole('button', { name: 'Budgeted does not apply' }) })
      .first(),
  ).toHaveClass(/hatched/);
  await answer.getByRole('row').nth(1).getByRole('button').nth(1).click();
  await expect(page.getByRole('region', { name: 'Explanation of the cell' })).toContainText('loan_branch');
  await answer.getByRole('button', { name: 'Budgeted does not apply' }).first().click();
  await expect(page.getByRole('region', { name: 'Explanation of the cell' })).toContainText(
    'does not apply: card.category does not reach its rows',
  );
  await page.getByRole('tab', { name: 'Chart' }).click();
  await expect(page.locator('canvas')).toBeVisible();
  await expect(page).toHaveURL(/view=chart/);
  await page.getByRole('tab', { name: 'SQL' }).click();
  const sql = page.getByLabel('SQL', { exact: true });
  await expect(sql).toContainText('from "loan_export" b');
  await expect(sql).toContainText('collate "C"'); // how PostgreSQL orders by code point
  await page.getByLabel('Database').selectOption('SQLite');
  await expect(sql).not.toContainText('collate');
  await expect(sql).toContainText('from "loan_export" b');
});

test('a table gets another name, and every formula follows; a name that is taken is refused', async ({
  page,
}) => {
  await page.goto(`${demo}/shape?sel=table:hold`);
  const name = page.getByLabel('Name', { exact: true });
  await name.fill('branch');
  await name.press('Enter');
  await expect(page.getByRole('alert')).toContainText('"branch" is already used');
  await expect(name).toHaveValue('hold');
  await name.fill('reservation');
  await name.press('Enter');
  await expect(page).toHaveURL(/sel=table(:|%3A)reservation/);
  await page.goto(`${demo}/measures?sel=measure:Holds`);
  await expect(page.getByRole('region', { name: 'The measure' })).toContainText('count(reservation)');
  await page.getByRole('button', { name: /^Undo/ }).first().click();
  await expect(page.getByRole('region', { name: 'The measure' })).toContainText('count(hold)');
});

test('a measure is written: completion, a fault in its place, then saved in canonical layout', async ({
  page,
}) => {
  await page.goto(`${demo}/measures`);
  await page.getByRole('button', { name: 'Measure', exact: true }).click();
  await page.getByLabel('Name of the measure').fill('Mean fine');
  const editor = page.getByLabel('Formula');
  await editor.click();
  await page.keyboard.type('AVG(loan_export.fnie');
  await expect(
    page.getByRole('status').getByText('did you mean "loan_export.fine"?', { exact: false }),
  ).toBeVisible();
  await editor.fill('AVG( loan_export.fine )');
  await expect(page.getByText('gives double; over rows of loan_export', { exact: false })).toBeVisible();
  await page.getByRole('button', { name: 'Save' }).click();
  const catalog = page.getByRole('grid', { name: 'Catalog' });
  const added = catalog.getByRole('row', { name: /Mean fine/ });
  await page.getByLabel('Filter', { exact: true }).fill('mean');
  await expect(added).toContainText('avg(loan_export.fine)');
  await expect(page.getByRole('region', { name: 'Values', exact: true })).toContainText('total');
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(added).toHaveCount(0);
});

test('of changes of an address close to each other none is lost', async ({ page }) => {
  await page.goto(`${demo}/measures`);
  await page.getByRole('button', { name: 'Measure', exact: true }).click();
  await page.getByLabel('Name of the measure').fill('Fine of a loan');
  await page.getByLabel('Formula').fill('avg(loan_export.fine)');
  // What is typed while an edit is on its way stays, and so does the selection that follows the edit.
  await page.route('**/api/models/*/edits', async (route) => {
    await new Promise((done) => setTimeout(done, 400));
    await route.continue();
  });
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByLabel('Filter', { exact: true }).fill('fine');
  await expect(page.getByRole('region', { name: 'Values', exact: true })).toContainText('total');
  await expect(page).toHaveURL(/search=fine/);
  await page.unroute('**/api/models/*/edits');
  // Two acts in one moment.
  await page.evaluate(() => {
    const filter = document.querySelector<HTMLInputElement>('input[aria-label="Filter"]')!;
    const row = [...document.querySelectorAll<HTMLElement>('[aria-label="Catalog"] [role="row"]')].find((r) =>
      r.textContent.includes('Fines'),
    )!;
    const write = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')!.set!;
    write.call(filter, 'fines');
    filter.dispatchEvent(new Event('input', { bubbles: true }));
    row.click();
  });
  await expect(page).toHaveURL((url) => url.searchParams.get('search') === 'fines');
  await expect(page).toHaveURL((url) => url.searchParams.get('sel') === 'measure:Fines');
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
});

test('dragging a column onto a column shows what the rows say, then relates them', async ({ page }) => {
  await page.goto(`${demo}/stars`);
  await page.getByRole('button', { name: 'Show all' }).click();
  const column = (name: string) => page.locator(`[data-column="${name}"] rect`);
  const from = (await column('price_list.title_id').boundingBox())!;
  const to = (await column('copy.title_id').boundingBox())!;
  await page.mouse.move(from.x + from.width / 2, from.y + from.height / 2);
  await page.mouse.down();
  await page.mouse.move(to.x + 20, to.y + to.height / 2, { steps: 8 });
  await expect(page.getByText(/of the rows find a partner/)).toBeVisible();
  await page.mouse.up();
  const form = page.getByRole('region', { name: 'Relate' });
  await expect(form).toContainText('filled rows find a partner');
  await form.getByLabel('Cardinality').selectOption('many-to-many');
  await form.getByRole('button', { name: 'Relate', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'price_list_copy', exact: true })).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByText('This relationship does not exist any more.')).toBeVisible();
});

test('find or do reaches every object from the keyboard', async ({ page }) => {
  await page.goto(`${demo}/intake`);
  await judged(page);
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'Find or do' }).fill('Late loans');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/measures\?sel=measure/);
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'Find or do' }).fill('dark theme');
  await page.keyboard.press('Enter');
  await expect(page.locator('html')).toHaveAttribute('data-theme', 'dark');
  // What else tells the theme follows.
  await page.getByRole('button', { name: 'Light theme' }).click();
  await expect(page.locator('html')).toHaveAttribute('data-theme', 'light');
  // One Escape closes it, also with something typed.
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'Find or do' }).fill('loan');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog')).toHaveCount(0);
});

test('an address that leads nowhere says so, and an unknown model too', async ({ page }) => {
  await page.goto('/nowhere');
  await expect(page.getByRole('heading', { name: 'This page cannot be shown' })).toBeVisible();
  await page.goto('/m/999/stars');
  await expect(page.getByText('there is no model 999 in this workspace')).toBeVisible();
});

test('perspectives and storage: an audience loses a measure, a ruler tells its bits', async ({ page }) => {
  await page.goto(`${demo}/perspectives?sel=perspective:Collections`);
  await judged(page);
  const before = await broken(page);
  await page.getByLabel('Filter objects').fill('Visitors');
  await page.getByLabel('Visitors for Collections', { exact: true }).click();
  await expect.poll(() => broken(page)).toBeLessThan(before);
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await page.goto(`${demo}/storage`);
  const ruler = page.getByRole('listbox', { name: 'A row of loan_export' });
  await expect(ruler.getByRole('option', { name: /^lent_at: .* bits a row/ })).toBeVisible();
  await expect(page.getByRole('region', { name: 'Advice' })).toContainText('split date and time');
});

const VIEWS = [
  ['intake', 'intake?sel=table:branch'],
  ['shape', 'shape?sel=table:branch'],
  ['steps of a table', 'shape?sel=table:desk_use&view=steps&step=4'],
  ['lineage', 'shape?sel=table:desk_use&view=lineage'],
  ['databases', 'intake?view=databases'],
  ['loads', 'intake?view=loads'],
  ['stars', 'stars?sel=relationship:loan_branch'],
  ['briefs', 'stars?view=briefs'],
  ['advice on stars', 'stars?view=advice'],
  ['claims', 'claims'],
  ['hierarchies', 'hierarchies'],
  ['calendars', 'hierarchies?view=calendars'],
  ['measures', 'measures?sel=measure:Loans'],
  ['perspectives', 'perspectives'],
  ['storage', 'storage?sel=column:loan_export.lent_at'],
  ['columns', 'storage?view=columns'],
  ['trial', 'trial'],
  ['release', 'release'],
] as const;

/** One page for all views: opening the program anew for each would take most of the time. */
test.describe('accessibility', () => {
  test('what a machine can find is found', async ({ page }) => {
    await page.setContent('<main><h1>A page</h1><img src="/mark.svg"><input></main>');
    const found = ['document-title: html', 'html-has-lang: html', 'image-alt: img', 'label: input'];
    expect(await accessFaults(page)).toEqual(found);
  });

  let page: Page;
  test.beforeAll(async ({ browser }) => {
    page = await (await browser.newContext()).newPage();
    await page.goto(`${demo}/claims`);
    await judged(page);
  });
  test.afterAll(() => page.context().close());
  for (const [name, path] of VIEWS) {
    test(`${name} has no faults that a machine can find`, async () => {
      // As by a link: the program goes on, and only its view is another.
      await page.evaluate((to) => {
        history.pushState({}, '', to);
        dispatchEvent(new PopStateEvent('popstate'));
      }, `${demo}/${path}`);
      const stage = path.split('?')[0]!;
      await expect(page.locator(`main[aria-label="Design: ${stage}" i]`)).toBeVisible();
      await page.waitForTimeout(700); // what is loaded after the claims
      expect.soft(await accessFaults(page)).toEqual([]);
    });
  }
});
