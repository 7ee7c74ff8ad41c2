import { expect, test } from './journey.ts';

// A number is opened down to its rows, kept as right, broken by a change, and mended.

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

const trial = (model: string, query: unknown) =>
  `${model}/trial?q=${encodeURIComponent(JSON.stringify(query))}`;

test('the rows of a ratio are opened, listed, saved as a listing; a trial is kept as right, and a claim holds later answers against it', async ({
  page,
}) => {
  const model = '/m/1';
  await page.goto(
    trial(model, { by: ['district.region'], across: ['calendar.year'], measures: ['Fine per late loan'] }),
  );
  const answer = page.getByRole('table', { name: 'The answer' });
  await expect(answer.getByRole('columnheader', { name: /^2025/ })).toBeVisible();
  await expect(answer.getByRole('columnheader', { name: 'total' })).toBeVisible();

  // Each aggregate of the ratio apart, and its rows add up.
  await answer.getByRole('row').nth(1).locator('button.num').first().click();
  await page.getByRole('button', { name: 'Rows behind it' }).click();
  const rows = page.getByRole('region', { name: 'Rows behind the number' });
  await expect(rows.getByRole('status')).toContainText('as the answer has');
  await expect(rows.getByRole('tab')).toHaveCount(2);
  await rows.getByRole('tab').nth(1).click();
  await expect(rows.getByRole('status')).toContainText('as the answer has');

  // So do those of a row's total, which is evaluated in its own context.
  await rows.getByRole('button', { name: 'Back to the answer' }).click();
  await answer.getByRole('row').nth(1).getByRole('button').last().click();
  await page.getByRole('button', { name: 'Rows behind it' }).click();
  await expect(rows.getByRole('status')).toContainText('as the answer has');

  // Columns are taken out and added, and kept as a listing; the address has it all.
  await rows.getByRole('button', { name: 'Remove loan_export.terminal' }).click();
  await expect(rows.getByRole('columnheader', { name: /^terminal/ })).toBeHidden();
  await rows.getByRole('combobox', { name: 'Add a column' }).fill('branch.town');
  await page.getByRole('option', { name: 'branch.town', exact: true }).click();
  await expect(rows.getByRole('columnheader', { name: /branch\.town/ })).toBeVisible();
  await rows.getByRole('button', { name: 'Save as listing' }).click();
  await rows.getByLabel('Name of the listing').fill('Lines of loans');
  await page.keyboard.press('Enter');
  await expect(rows.getByLabel('Listing', { exact: true })).toHaveValue('Lines of loans');
  await page.reload();
  await expect(rows.getByRole('columnheader', { name: /branch\.town/ })).toBeVisible();
  await rows.getByRole('button', { name: 'Back to the answer' }).click();
  await expect(answer).toBeVisible();

  // The first by a measure and all others; their sum is that of the whole.
  await page.goto(
    trial(model, {
      by: ['branch.town'],
      measures: ['Loans'],
      filters: [{ top: 2, of: 'Loans', others: true }],
    }),
  );
  await expect(answer.getByText('all others')).toBeVisible();
  await answer.getByRole('row').nth(3).getByRole('button').click();
  await page.getByRole('button', { name: 'Rows behind it' }).click();
  await expect(rows.getByRole('status')).toContainText('as the answer has');
  await rows.getByRole('button', { name: 'Back to the answer' }).click();

  // Kept, right, broken by a change of the measure, and right again once that is undone.
  await page.getByRole('button', { name: 'Kept trials' }).click();
  await page.getByLabel('Name of the trial').fill('Busy towns');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await page.getByRole('button', { name: 'This answer is right' }).click();
  await expect(page.getByText('the answer of Busy towns is right')).toBeVisible();
  await page.keyboard.press('Escape');
  await page.goto(`${model}/claims?q=known-answer`);
  const change = async (do_: string) => {
    const id = model.split('/').at(-1)!;
    const state = (await (await page.request.get(`/api/models/${id}`)).json()) as {
      revision: { id: number };
    };
    const done = await page.request.post(`/api/models/${id}/edits`, {
      data: {
        base: state.revision.id,
        edit: [
          { do: 'put-measures', name: 'Loans', value: { name: 'Loans', table: 'loan_export', formula: do_ } },
        ],
        says: 'change Loans',
      },
    });
    expect(done.ok()).toBe(true);
  };
  const verdict = async () => {
    const id = model.split('/').at(-1)!;
    const state = (await (await page.request.get(`/api/models/${id}/claims`)).json()) as {
      claims: { id: string; verdict: string }[];
    };
    return state.claims.find((c) => c.id === 'known-answer:Busy towns')?.verdict;
  };
  await expect.poll(verdict).toBe('holds');
  await change('count(loan_export) filter (where loan_export.renewals = 0)');
  await expect.poll(verdict).toBe('broken');
  await change('count(loan_export)');
  await expect.poll(verdict).toBe('holds');
});
