import { expect, test } from './journey.ts';

// A value is corrected by hand, told where it counts, and taken back.

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

test('a value is corrected at the rows behind a number, by keyboard; the number says so, the history has it, undo takes it back', async ({
  page,
}) => {
  const undo = async () => {
    await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
    const asked = page.getByRole('dialog');
    await expect(asked).toContainText('corrections of budget.amount: 4 rows now, 3 rows afterwards');
    await asked.getByRole('button', { name: 'Undo' }).click();
  };
  const query = { by: ['branch.name'], measures: ['Budgeted'], sort: [{ of: 'Budgeted' }], limit: 1 };
  await page.goto(`/m/1/trial?q=${encodeURIComponent(JSON.stringify(query))}`);
  const answer = page.getByRole('table', { name: 'The answer' });
  const number = answer.getByRole('row').nth(1).locator('button.num').first();
  await expect(number).toBeVisible();
  const before = await number.textContent();
  await number.click();
  await page.getByRole('button', { name: 'Rows behind it' }).click();
  const rows = page.getByRole('region', { name: 'Rows behind the number' });
  const table = rows.getByRole('table', { name: 'Rows of budget' });
  await expect(rows.getByRole('status')).toContainText('as the answer has');
  // The key of the row tells it, and cannot be corrected; its amount can.
  const cells = table.getByRole('row').nth(1).getByRole('cell');
  await cells.nth(0).focus();
  await expect(rows.getByRole('button', { name: 'Correct the chosen value' })).toBeDisabled();
  for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowRight');
  await expect(cells.nth(3)).toBeFocused();
  const read = (await cells.nth(3).textContent())!;
  await page.keyboard.press('Enter');
  const panel = page.getByRole('complementary', { name: 'Correct a value' });
  await expect(panel.getByLabel(/^value/)).toBeFocused();
  await panel.getByLabel(/^value/).fill('a lot');
  await page.keyboard.press('Enter');
  await expect(panel.getByRole('alert')).toContainText('cannot be read');
  await panel.getByLabel(/^value/).fill('12.25');
  await panel.getByLabel('comment').fill('typed wrongly');
  await panel.getByLabel(/^who/).fill('Maren Holt');
  await page.keyboard.press('Enter');
  await expect(panel).toBeHidden();
  await expect(cells.nth(3)).toHaveText('12.25');
  await expect(cells.nth(3)).toHaveAttribute('title', `corrected by Maren Holt, was ${read}: typed wrongly`);
  await expect(rows.getByRole('status')).toContainText('as the answer has');

  await cells.nth(3).dblclick();
  const history = panel.getByRole('region', { name: 'History of the value' });
  await expect(history).toContainText('typed wrongly');
  await expect(history).toContainText('counts now');
  await expect(panel).toContainText(`Read: ${read}`);
  await page.keyboard.press('Escape');
  await expect(panel).toBeHidden();

  await rows.getByRole('button', { name: 'Back to the answer' }).click();
  await expect(number).not.toHaveText(before!);
  await number.click();
  await expect(page.getByText('1 row with a value corrected by hand')).toBeVisible();
  await undo();
  await expect(number).toHaveText(before!);
});

test('a file of corrections is read on Loads, what changes nothing is named, and the list is taken out and had back', async ({
  page,
}) => {
  await page.goto('/m/1/intake');
  await page.getByRole('button', { name: 'Loads', exact: true }).click();
  const section = page.getByRole('region', { name: 'Corrections' });
  await expect(section).toContainText('by Maren Holt, Piet Lorne');
  await section.getByLabel('Read a file of corrections of').selectOption('branch.name');
  const chooser = page.waitForEvent('filechooser');
  await section.getByRole('button', { name: 'Choose a file …' }).click();
  await (
    await chooser
  ).setFiles({
    name: 'names.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      'branch_code,value,author,at,comment,from,to\nB001,Ashby Old Hall,Piet Lorne,2026-01-05,new house,,\nB999,Nowhere,Piet Lorne,2026-01-05,,,\n',
    ),
  });
  const line = section.getByRole('listitem').filter({ hasText: 'branch.name' });
  await expect(line).toContainText('2 corrections, 1 counts now');
  await expect(line).toContainText('B999 (branch has no row of its key)');
  await line.getByRole('button', { name: 'Remove the corrections of branch.name' }).click();
  await expect(line).toBeHidden();
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(line).toContainText('2 corrections, 1 counts now');
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await page.getByRole('dialog').getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('dialog')).toBeHidden();
  await expect(section).toContainText('budget.amount');
  await expect(line).toBeHidden();
});
