import { expect, test } from './journey.ts';

// Titles and descriptions: written in place, pasted from a spreadsheet, shown where people read, taken back.

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

test('a model and its objects are given texts that show in trials and are found', async ({
  page,
  context,
}) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await page.goto('/');
  await page.getByLabel('Title of a new model').fill('Fines');
  await page.getByRole('button', { name: 'Create' }).click();
  await page.locator('#files').setInputFiles([
    {
      name: 'loan.csv',
      mimeType: 'text/csv',
      buffer: Buffer.from(
        `loan_no,branch_code,fine\n${Array.from({ length: 40 }, (_, i) => `${i},BR-${i % 4},${i}.50`).join('\n')}\n`,
      ),
    },
  ]);
  await page.getByRole('button', { name: 'Import 1 table' }).click();
  await page.getByRole('button', { name: 'Draft a star' }).click();
  await page.getByRole('button', { name: 'Accept all' }).click();

  // The model itself.
  await page.getByRole('button', { name: /^Title and description of/ }).click();
  await page.getByLabel('Title', { exact: true }).fill('Fines of the year');
  await page.getByLabel('Description', { exact: true }).fill('What readers owed');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('banner')).toContainText('Fines of the year');
  await page.getByRole('button', { name: /^Title and description of/ }).click();
  await page.getByRole('link', { name: 'Texts of all objects' }).click();

  // One field, with the keyboard: Enter keeps it and goes a row down.
  await page.getByLabel('Title of table loan').fill('Loans');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Title of column loan.loan_no')).toBeFocused();
  await expect(page.getByLabel('Title of table loan')).toHaveValue('Loans');

  // Cells of a spreadsheet over two rows and both fields.
  await page.evaluate(() =>
    navigator.clipboard.writeText('Branch\tWhere it was lent\nFine\tFor days late\n'),
  );
  await page.getByLabel('Title of column loan.branch_code').focus();
  await page.keyboard.press('Control+v');
  await expect(page.getByLabel('Description of column loan.fine')).toHaveValue('For days late');
  await page.keyboard.press('Escape');
  await page.getByLabel('Search texts').fill('lent');
  await expect(page.getByRole('table', { name: 'Texts' }).getByRole('row')).toHaveCount(2);
  await page.getByLabel('Search texts').fill('');
  await page.getByLabel('Title of measure Total fine').fill('All fines');
  await page.keyboard.press('Enter');

  // They show in a trial, and the box that finds everything finds them.
  await page.getByRole('link', { name: 'Trial' }).click();
  await page.getByRole('button', { name: 'Add a measure' }).click();
  await page.getByRole('textbox', { name: 'Add a measure' }).fill('All fin');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Add an attribute' }).click();
  await page.getByRole('textbox', { name: 'Add an attribute' }).fill('was lent');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('columnheader', { name: /All fines/ })).toBeVisible();
  await expect(page.getByRole('columnheader', { name: /loan Branch/ })).toBeVisible();
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'Find or do' }).fill('days late');
  await expect(page.getByRole('option', { name: /loan\.fine/ })).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(page.getByText('Fine: For days late')).toBeVisible();

  // What was pasted is taken back as one.
  await page.getByRole('link', { name: 'Edit texts' }).click();
  await expect(page.getByLabel('Description of column loan.fine')).toHaveValue('For days late');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expect(page.getByLabel('Description of column loan.fine')).toHaveValue('');
});
