import { expect, test } from './journey.ts';

// A design before there are rows: typed in, read from SQL, related, judged, then filled from a file.

test.beforeEach(async ({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
  await page.goto('/');
  await page.getByLabel('Title of a new model').fill('Designed');
  await page.getByRole('button', { name: 'Create' }).click();
});

const csv = (name: string, text: string) => ({ name, mimeType: 'text/csv', buffer: Buffer.from(text) });

test('tables are typed in, related, given measures, written as DDL, and filled from a file', async ({
  page,
}) => {
  await page.getByRole('link', { name: 'Shape' }).click();
  await page.getByRole('button', { name: 'Design a table' }).click();
  await page.getByLabel('Name of the table').fill('branch');
  await page.getByLabel('Columns', { exact: true }).fill('branch_code text(8) key\nname text\narea colour');
  await expect(page.getByText('line 3: "colour" is no type')).toBeVisible();
  await page
    .getByLabel('Columns', { exact: true })
    .fill('branch_code text(8) key\nname text\narea decimal(9,2)');
  await page.getByRole('button', { name: 'Add the table' }).click();
  await expect(page.getByRole('heading', { name: 'branch', exact: true }).first()).toBeVisible();

  await page.getByRole('button', { name: 'Design a table' }).click();
  await page.getByLabel('Name of the table').fill('loan');
  await page.getByLabel('Role of the new table').selectOption('fact');
  await page
    .getByLabel('Columns', { exact: true })
    .fill('loan_no integer key\nbranch_code text(8) reference\nfine decimal(9,2)');
  await page.getByRole('button', { name: 'Add the table' }).click();

  // Columns are added, changed and taken away, and an identity is set.
  await page.getByLabel('New column of loan').fill('copies integer quantity');
  await page.getByRole('button', { name: 'Add column', exact: true }).click();
  await page.getByLabel('New column of loan').fill('remark');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Type of remark')).toHaveValue('text');
  await page.getByRole('button', { name: 'Remove remark' }).click();
  await expect(page.getByLabel('Type of remark')).toBeHidden();
  await page.getByLabel('Type of copies').selectOption('double');
  await expect(page.getByLabel('Type of copies')).toHaveValue('double');
  await page.getByLabel('Type of copies').selectOption('integer');
  await expect(page.getByLabel('Type of copies')).toHaveValue('integer');
  await expect(page.getByText('no rows yet').first()).toBeVisible();

  // A relationship without rows.
  await page.getByRole('link', { name: 'Stars' }).click();
  await page.getByRole('button', { name: 'Relate', exact: true }).click();
  await page.getByLabel('Table from').selectOption('loan');
  await page.getByLabel('Column from').selectOption('branch_code');
  await page.getByLabel('Table to').selectOption('branch');
  await page.getByLabel('Column to').selectOption('branch_code');
  await expect(page.getByText('it is judged once there are rows', { exact: false })).toBeVisible();
  await page.getByRole('region', { name: 'Relate' }).getByRole('button', { name: 'Relate' }).click();
  await expect(page.getByRole('heading', { name: 'loan_branch' })).toBeVisible();

  // A file that is not what the design says: the differences are listed before it is taken.
  await page.getByRole('link', { name: 'Intake' }).click();
  await page
    .locator('#files')
    .setInputFiles([csv('branch.csv', 'branch_code,name\nA,Ash\nLONG-CODE-9,Beech\nA,Elm\n')]);
  await expect(
    page.getByText('branch_code has texts of up to 11 characters, the design allows 8'),
  ).toBeVisible();
  await expect(page.getByText('the key branch_code repeats: 1 row more than values')).toBeVisible();
  await expect(page.getByText('removed: area')).toBeVisible();
  if (process.env.CREASE_SHOT) await page.screenshot({ path: process.env.CREASE_SHOT });
  await page.getByRole('button', { name: 'Remove branch.csv' }).click();

  // A file is laid onto the design: its columns are those that were designed.
  await page
    .locator('#files')
    .setInputFiles([
      csv('loan.csv', 'Loan No,branch_code,fine,copies,place\n1,A,1.50,2,x\n2,B,2.50,3,y\n'),
      csv('branch.csv', 'branch_code,name,area\nA,Ash,1.5\nB,Beech,2.5\n'),
    ]);
  const card = page.getByRole('region', { name: 'File loan.csv' });
  await expect(card.getByLabel('Type of loan_no')).toHaveValue('integer');
  await page.getByRole('button', { name: 'Import 2 tables' }).click();
  await expect(page.getByText('Imported: 4 rows stored')).toBeVisible();
  await expect(page.getByRole('link', { name: /^Claims: \d\d holds, 0 broken, 0 unchecked/ })).toBeVisible();

  // And back: the design is there again, without rows.
  await page.keyboard.press('Control+z');
  await page.getByRole('dialog').getByRole('button').last().click();
  await expect(
    page.getByRole('link', { name: /^Claims: \d+ holds, 0 broken, \d\d unchecked/ }),
  ).toBeVisible();
});

test('a SQL file becomes a design; what is there already stays', async ({ page }) => {
  const sql = `create table branch (branch_id int primary key, name varchar(40));
comment on table branch is 'where it is lent';
create table loan (loan_no bigint generated always as identity primary key, branch_id int references branch, fine numeric(9,2));
create table broken (x int,, y);`;
  const file = { name: 'library.sql', mimeType: 'text/plain', buffer: Buffer.from(sql) };
  await page.locator('#files').setInputFiles([file]);
  const card = page.getByRole('region', { name: 'File library.sql' });
  await expect(card).toContainText('declares 2 tables and 1 reference; no rows');
  await expect(card.getByRole('list', { name: 'Left out' })).toContainText('line 4: not read');
  await card.getByRole('button', { name: 'Add 2 tables' }).click();
  await expect(page.getByRole('button', { name: 'fact table loan' })).toBeVisible();
  await expect(page.getByRole('button', { name: 'dimension table branch' })).toBeVisible();

  await page.getByRole('link', { name: 'Intake' }).click();
  await page.locator('#files').setInputFiles([file]);
  await expect(card).toContainText('branch, loan are in the model already and stay as they are');
  await expect(card.getByRole('button', { name: 'Add 0 tables' })).toBeDisabled();
  await card.getByRole('button', { name: 'Cancel' }).click();
  await page.keyboard.press('Control+z');
  await expect(page.getByText('Drop delimited text files here', { exact: false })).toBeVisible();
});
