import { readFileSync } from 'node:fs';
import type { Download, Page } from '@playwright/test';
import { expect, test } from './journey.ts';
import type { Edit } from '@crease/core/edit';
import { edited, loadText, newModel } from './byApi.ts';

const demo = '/m/1';
const claim = (page: Page, id: string) => page.getByRole('article', { name: id, exact: true });
const judged = (page: Page) =>
  expect(page.getByRole('link', { name: /^Claims:.* 0 unchecked/ })).toBeVisible();
const undo = (page: Page) => page.getByRole('button', { name: 'Undo', exact: true }).first().click();

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

async function saved(page: Page, choice: string): Promise<{ download: Download; text: string }> {
  const download = page.waitForEvent('download');
  await page.getByRole('menuitem', { name: choice }).click();
  const file = await download;
  return { download: file, text: readFileSync(await file.path(), 'utf8') };
}

test('a diagram of chosen tables: neighbours, all columns, a card put elsewhere and back, taken along as a picture', async ({
  page,
}) => {
  await page.goto(`${demo}/stars?sel=table:hold`);
  await page.getByRole('button', { name: 'More …' }).click();
  await page.getByRole('menuitem', { name: 'New diagram' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Holds');
  await page.keyboard.press('Enter');
  const diagram = page.getByRole('group', { name: 'Diagram of the stars' });
  await expect(diagram.getByRole('button', { name: 'fact table hold' })).toBeVisible();
  await expect(diagram.getByRole('button', { name: 'fact table loan_export' })).toHaveCount(0);
  await page.getByLabel('Cards list').selectOption('columns');
  await expect(diagram.getByText('cancelled_on')).toBeVisible();
  await diagram.getByRole('button', { name: 'dimension table branch' }).click();
  await page.getByRole('button', { name: /^Neighbours of branch/ }).click();
  await expect(diagram.getByRole('button', { name: 'dimension table district' })).toBeVisible();

  await page.getByRole('button', { name: 'Show all' }).click();
  const card = diagram.getByRole('button', { name: 'dimension table district' });
  const before = (await card.boundingBox())!;
  await page.mouse.move(before.x + 20, before.y + 6);
  await page.mouse.down();
  await page.mouse.move(before.x + 20, before.y + 66, { steps: 5 });
  await page.mouse.up();
  await expect(page.getByText('move district on Holds')).toBeVisible();
  await undo(page);
  await expect(page.getByText('Undone: move district')).toBeVisible();

  await page.getByRole('button', { name: 'More …' }).click();
  const svg = await saved(page, 'Save as SVG');
  expect(svg.download.suggestedFilename()).toBe('lantern-valley.holds.svg');
  expect(svg.text).toContain('cancelled_on');
  expect(svg.text).not.toContain('var(--');
  expect(svg.text).toContain('>Lantern Valley libraries: Holds</text>');
  expect(svg.text).toMatch(/@font-face[^}]*data:font\/woff2;base64,/);
  // Branch is selected on the screen: its heavy outline is not part of the picture.
  expect(svg.text).not.toContain('stroke-width="2.2"');
  await page.getByRole('button', { name: 'More …' }).click();
  const png = await saved(page, 'Save as PNG');
  expect(png.text.slice(1, 4)).toBe('PNG');
});

test('the matrix explains its cells, and a table what it reaches and why it does not', async ({ page }) => {
  await page.goto(`${demo}/stars?view=matrix`);
  await page.getByRole('button', { name: /^district reaches loan_export/ }).click();
  const way = page.getByRole('region', { name: 'How district reaches loan_export' });
  await expect(way).toContainText('over an outrigger');
  await expect(way.getByRole('button', { name: 'branch_district' })).toBeVisible();
  await page.getByRole('button', { name: /^calendar reaches hold: 2 default paths/ }).click();
  await expect(page.getByRole('region', { name: 'How calendar reaches hold' })).toContainText('placed_on');
  await page.goto(`${demo}/stars?sel=table:author&reach=shown`);
  const reach = page.getByRole('region', { name: 'What author reaches' });
  await expect(reach).toContainText('loan_export over a bridge');
  await expect(reach).toContainText('budget: no relationship leads from budget');
});

test('a question says what is missing for it, until it is there', async ({ page }) => {
  await page.goto(`${demo}/stars?view=briefs`);
  const brief = page.getByRole('region', { name: 'Brief of programme_visit' });
  await brief.getByLabel('A new question').fill('How many visitors per region and title?');
  await expect(brief.getByText('understood: Visitors')).toBeVisible();
  await brief.getByLabel('A new question').press('Enter');
  await expect(brief).toContainText(/title\.\S+ does not reach Visitors/);
  await brief.getByRole('button', { name: 'How many visitors per region and title?', exact: true }).click();
  await brief.getByRole('button', { name: /^title\./ }).click();
  await expect(brief).toContainText('answers 1 of 1 question');
  await brief.getByRole('button', { name: 'Open in Trial' }).click();
  await expect(page.getByRole('table').first()).toContainText('Visitors');
});

test('a path is tried before it is kept: torn members show at once, a key of two columns mends it', async ({
  page,
}) => {
  await page.goto(`${demo}/hierarchies?sel=table:branch`);
  await page.getByRole('button', { name: 'Try a path' }).click();
  await page.getByLabel('Table of the hierarchy').selectOption('branch');
  const palette = page.getByRole('complementary', { name: 'Columns' });
  await palette.getByTitle(/^district\.name /).click();
  await palette.getByTitle(/^town /).click();
  const levels = page.getByRole('list', { name: 'Levels from the top' });
  await expect(levels).toContainText('1 member in several of District');
  await expect(page.getByRole('tree').getByRole('treeitem').first()).toBeVisible();
  await page.getByRole('button', { name: 'Column, key and order of Town' }).click();
  await page.getByLabel('Add a column to the key of Town').selectOption('district.name');
  await page.getByLabel('Add a column to the key of Town').selectOption('town');
  await expect(levels).not.toContainText('in several of');
  await expect(levels).toContainText('17 members');
  await page.getByLabel('Name of the hierarchy').fill('Towns');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('tab', { name: 'branch.Towns' })).toBeVisible();
  await judged(page);
  await undo(page);
  await expect(page.getByRole('tab', { name: 'branch.Towns' })).toHaveCount(0);
});

test('a remedy tells what it would do, is applied and undone; what does not hold is saved for a pipeline', async ({
  page,
}) => {
  await page.goto(`${demo}/claims?sel=claim:reference-complete:loan_branch&by=table&weight=blocks`);
  await judged(page);
  const orphans = claim(page, 'reference-complete:loan_branch');
  await expect(orphans).toContainText('After this: holds');
  await orphans.getByRole('button', { name: 'Apply: Add a member for each unmatched value' }).click();
  await judged(page);
  await expect(claim(page, 'reference-complete:loan_branch')).not.toContainText('violation');
  await undo(page);
  await expect(claim(page, 'reference-complete:loan_branch')).toContainText('B077');
  await orphans.getByRole('button', { name: 'Waive …' }).click();
  await page.getByLabel('Reason of the waiver').fill('a branch that closed');
  await page.getByLabel('Author of the waiver').fill('the modeler');
  await page.getByRole('button', { name: 'Waive', exact: true }).click();
  await expect(orphans).toContainText('Waived: a branch that closed (the modeler)');
  await page.getByRole('button', { name: /^Save .* as …/ }).click();
  const { text } = await saved(page, 'SARIF');
  const log = JSON.parse(text) as {
    runs: { results: { ruleId: string; suppressions?: { justification: string }[] }[] }[];
  };
  const waived = log.runs[0]!.results.find((r) => r.suppressions);
  expect(waived).toMatchObject({
    ruleId: 'reference-complete',
    suppressions: [{ justification: 'a branch that closed, by the modeler' }],
  });
  await undo(page);
  await expect(orphans).toContainText('blocks a release');
});

test('a calendar is linked from another model and follows it, becomes a copy, and its table goes once it is read what hangs on it', async ({
  page,
}) => {
  const made = await page.request.post('/api/models', { data: { title: 'Visits of the valley' } });
  const { id } = (await made.json()) as { id: number };
  await page.goto(`/m/${id}/hierarchies?view=calendars`);
  const offered = page.getByRole('region', { name: 'Calendars of other models' });
  const libraries = offered.getByRole('listitem').filter({ hasText: 'calendar of Lantern Valley libraries' });
  await libraries.getByRole('button', { name: 'Link' }).click();
  const card = page.getByRole('region', { name: 'Calendar calendar' });
  await expect(card.getByText(/It follows calendar of Lantern Valley libraries/)).toBeVisible();
  await expect(card.getByLabel('Fiscal year starts in')).toBeDisabled();
  await expect(libraries).toHaveCount(0);

  // What is changed there is changed here.
  await page.goto(`${demo}/hierarchies?view=calendars`);
  await card.getByLabel('Fiscal year starts in').selectOption('April');
  await expect(card.getByText(/Visits of the valley, which follow it/)).toBeVisible();
  await page.goto(`/m/${id}/hierarchies?view=calendars`);
  await expect(card.getByLabel('Fiscal year starts in')).toHaveValue('4');
  await page.goto(`${demo}/hierarchies?view=calendars`);
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(card.getByLabel('Fiscal year starts in')).toHaveValue('7');

  await page.goto(`/m/${id}/hierarchies?view=calendars`);
  await card.getByRole('button', { name: 'Detach' }).click();
  await expect(card.getByLabel('Fiscal year starts in')).toBeEnabled();

  // Days of facts that no calendar has, yet.
  await page.goto(`${demo}/hierarchies?view=calendars`);
  const days = page
    .getByRole('region', { name: 'Days without a calendar' })
    .getByRole('listitem')
    .filter({ hasText: 'due_date of loan_export' });
  await days.getByRole('button', { name: 'Relate to calendar' }).click();
  await expect(days).toHaveCount(0);
  await undo(page);
  await expect(days).toHaveCount(1);

  await page.goto(`/m/${id}/shape?sel=table:calendar`);
  await page.getByRole('button', { name: 'Remove calendar from the model …' }).click();
  await expect(page.getByRole('alert')).toContainText('Also deleted: calendar.Calendar');
  await page.getByRole('button', { name: 'Remove calendar', exact: true }).click();
  await expect(page.getByText('No tables yet.')).toBeVisible();
  await undo(page);
  await expect(page.getByLabel('Name', { exact: true })).toHaveValue('calendar');
  await page.request.delete(`/api/models/${id}`);
});

test('a draft stays on the screen while another window accepts what it proposes', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'Drafted twice');
  await loadText(request, id, 'branch', 'code,town\nB01,Mill\nB02,Pier\nB03,Quay\n');
  await loadText(request, id, 'loan', 'no,branch_code,copies\n1,B01,2\n2,B02,1\n3,B01,4\n4,B03,1\n');
  await page.goto(`/m/${id}/intake`);
  await page.getByRole('button', { name: 'Draft a star' }).click();
  await expect(page.getByRole('button', { name: 'Accept all' })).toBeEnabled();
  const faults: string[] = [];
  page.on('console', (message) => message.type() === 'error' && faults.push(message.text()));
  const { proposals } = (await (await request.get(`/api/models/${id}/proposals`)).json()) as {
    proposals: { edit: Edit }[];
  };
  await edited(
    request,
    id,
    proposals.flatMap((p) => p.edit),
  );
  await expect(page.getByText('Nothing to add: the model already has what the rows suggest.')).toBeVisible();
  expect(faults).toEqual([]);
});

test('a clipboard that may not be written to is said, and the page goes on', async ({ page }) => {
  await page.addInitScript(() => {
    navigator.clipboard.writeText = () => Promise.reject(new Error('Write permission denied.'));
  });
  await page.goto(`${demo}/stars?sel=relationship:loan_branch`);
  await page.getByRole('button', { name: 'Copy the sample' }).first().click();
  await expect(page.getByText('Write permission denied.')).toBeVisible();
});
