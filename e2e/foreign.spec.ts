import { expect, test } from './journey.ts';

// Files that nobody made for this application: read, corrected with one act, drafted, asked.

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

const flights = ['airports', 'birdstrikes', 'flights-airport'].map((n) => `cli/test/drafts/flights/${n}.csv`);

test('from foreign tables to a first answer', async ({ page }) => {
  await page.goto('/');
  await page.getByLabel('Title of a new model').fill('Flights');
  await page.getByRole('button', { name: 'Create' }).click();
  await page.locator('#files').setInputFiles(flights);
  await expect(page.getByRole('group', { name: 'Files to import' })).toContainText('3 files');
  await page.getByRole('button', { name: 'Import 3 tables' }).click();
  await expect(page.getByRole('table', { name: 'Tables of the model' }).getByRole('row')).toHaveCount(4);

  await page.getByRole('button', { name: 'Draft a star' }).click();
  await expect(page.getByText('flights-airport.origin refers to airports.iata')).toBeVisible();
  await expect(page.getByLabel('Role of birdstrikes', { exact: true })).toHaveValue('fact');
  await expect(page.getByText('Total count = sum(', { exact: false })).toBeVisible();
  await page.getByRole('button', { name: 'Accept all' }).click();
  await expect(page.getByRole('button', { name: 'fact table flights-airport' })).toBeVisible();
  await expect(page.getByRole('button', { name: 'dimension table airports' })).toBeVisible();
});

test('days that can be read in two ways are read in the other with one act; a pattern is typed, what does not fit is kept as text', async ({
  page,
}) => {
  await page.goto('/');
  await page.getByLabel('Title of a new model').fill('Dates');
  await page.getByRole('button', { name: 'Create' }).click();
  const rows = Array.from({ length: 40 }, (_, i) => {
    const day = String((i % 28) + 1).padStart(2, '0');
    return `${i + 1},0${(i % 9) + 1}/0${(i % 7) + 1}/2025,$${i + 1}.50,${i === 7 ? 'not yet' : `2025-03-${day}`}`;
  });
  await page.locator('#files').setInputFiles([
    {
      name: 'loan.csv',
      mimeType: 'text/csv',
      buffer: Buffer.from(`loan_no,lent,fine,back\n${rows.join('\n')}\n`),
    },
  ]);
  const card = page.getByRole('region', { name: 'File loan.csv' });
  await expect(card.getByLabel('Pattern of lent')).toHaveValue('dd/MM/yyyy');
  await card.getByRole('button', { name: 'Read as MM/dd/yyyy' }).click();
  await expect(card.getByLabel('Pattern of lent')).toHaveValue('MM/dd/yyyy');

  // Dollars are numbers with a unit; one remark among days does not make texts of them.
  await expect(card.getByLabel('Type of fine')).toHaveValue(/^decimal/);
  await expect(card.getByLabel('Type of back')).toHaveValue('date');
  await expect(card.getByText('1 does not fit')).toBeVisible();

  // A pattern that nothing fits says so at once, and is typed over.
  await card.getByLabel('Pattern of back').fill('yyyy.MM.dd');
  await expect(card.getByText('40 do not fit')).toBeVisible();
  await card.getByLabel('Pattern of back').fill('no pattern');
  await expect(card.getByLabel('Pattern of back')).toHaveAttribute('aria-invalid', 'true');
  await card.getByRole('button', { name: 'Read back as text' }).click();
  await expect(card.getByLabel('Type of back')).toHaveValue('text');
  await page.getByRole('button', { name: 'Import 1 table' }).click();
  await expect(page.getByText('Imported: 40 rows stored')).toBeVisible();
});

test('the draft is changed in the draft; moments get a calendar that is generated for them', async ({
  page,
}) => {
  await page.goto('/');
  await page.getByLabel('Title of a new model').fill('Scans');
  await page.getByRole('button', { name: 'Create' }).click();
  const scans = Array.from(
    { length: 90 },
    (_, i) =>
      `${i},BR-${i % 4},2025-0${(i % 9) + 1}-1${i % 9} 1${i % 10}:30:00,${(i * 7) % 5},2024,${(i % 12) + 1},${(i % 28) + 1}`,
  );
  const csv = (name: string, rows: string[]) => ({
    name,
    mimeType: 'text/csv',
    buffer: Buffer.from(`${rows.join('\n')}\n`),
  });
  await page
    .locator('#files')
    .setInputFiles([
      csv('scan.csv', ['scan_no,branch_code,scanned_at,copies,year,month,day', ...scans]),
      csv('branch.csv', ['branch_code,name', ...[0, 1, 2, 3].map((i) => `BR-${i},Place ${i}`)]),
      csv('note.csv', ['note_no,text', '1,late', '2,lost']),
    ]);
  await page.getByRole('button', { name: 'Import 3 tables' }).click();
  await page.getByRole('button', { name: 'Draft a star' }).click();

  // Days in parts become a day; a table that nothing leads to is named.
  await expect(page.getByText('scan.date is the day of year, month and day')).toBeVisible();
  await expect(page.getByRole('note', { name: 'In no star' })).toContainText('note');

  // What rests on a choice follows it.
  const measures = page.getByRole('region', { name: 'Base measures' });
  await expect(measures).toContainText('Total copies');
  await page.getByText(/columns? keeps? (its|their) use/).click();
  await page.getByLabel('Use of scan.copies').selectOption('attribute');
  await expect(measures).not.toContainText('Total copies');
  await page.getByLabel('Use of scan.copies').selectOption('quantity, sum');
  await expect(measures).toContainText('Total copies');
  await page.getByLabel('Role of scan', { exact: true }).selectOption('dimension');
  await expect(page.getByRole('note', { name: 'In no star' })).toContainText('scan');
  await page.getByLabel('Role of scan', { exact: true }).selectOption('fact');
  await expect(page.getByRole('note', { name: 'In no star' })).not.toContainText('scan');
  await page.getByRole('button', { name: 'Accept all' }).click();
  await expect(page.getByRole('heading', { name: '1 table in no star' })).toBeVisible();

  // Days and moments of facts without a calendar: one is generated for them.
  await page.getByRole('link', { name: 'Hierarchies' }).click();
  await page.getByRole('button', { name: /Calendars/ }).click();
  const days = page.getByRole('region', { name: 'Days without a calendar' });
  await expect(days).toContainText('scanned_at of scan · a moment');
  await days.getByRole('button', { name: 'Generate a calendar' }).first().click();
  await expect(page.getByLabel('from', { exact: true })).toHaveValue('2024-01-01');
  await expect(page.getByLabel('to', { exact: true })).toHaveValue('2025-12-31');
  await page.getByRole('button', { name: 'Create calendar' }).click();
  await page.getByRole('link', { name: 'Stars' }).click();
  await expect(page.getByRole('button', { name: 'dimension table calendar' })).toBeVisible();

  // Taken back and done again.
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('button', { name: 'dimension table calendar' })).toBeHidden();
  await page.keyboard.press('Control+Shift+z');
  await expect(page.getByRole('button', { name: 'dimension table calendar' })).toBeVisible();
});
