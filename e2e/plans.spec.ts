import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from './journey.ts';
import { loadText, newModel } from './byApi.ts';

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

// Where a worker's workspace lies is known once it has begun.
const incoming = () => join(process.env.CREASE_JOURNEYS!, 'incoming');

test('a load plan: written, run by hand, its times, paused, a run that fails, changed and removed', async ({
  page,
  request,
}) => {
  mkdirSync(incoming(), { recursive: true });
  writeFileSync(join(incoming(), 'visits-1.csv'), 'no,copies\n1,5\n2,7\n');
  const id = await newModel(request, 'Plans');
  await loadText(request, id, 'visit', 'no,copies\n1,5\n', {}, { recipe: 'Visits' });
  await page.goto(`/m/${id}/intake?view=loads`);
  const plans = page.getByRole('region', { name: 'Load plans' });
  await plans.getByRole('button', { name: 'New plan' }).click();
  const form = plans.getByRole('form', { name: 'New load plan' });
  await form.getByLabel('name').fill('Night');
  await expect(form.getByRole('button', { name: 'Save' })).toBeDisabled();
  await form.getByLabel('Add a recipe').selectOption('Visits');
  await form.getByLabel('File of step 1').fill('../visits.csv');
  await form.getByLabel('further tries').fill('0');
  await form.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText(/reads files within the workspace's folder/)).toBeVisible();
  await form.getByLabel('File of step 1').fill('incoming/visits-*.csv');
  await form.getByLabel('Runs at').fill('noon');
  await form.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText(/"noon" is no time to run at/)).toBeVisible();
  await form.getByLabel('Runs at').fill('0 5 * * 1-5');
  await form.getByRole('button', { name: 'Save' }).click();
  await expect(plans.getByText(/^next: .* · /)).toBeVisible();

  await plans.getByRole('button', { name: 'Run Night now' }).click();
  const runs = plans.getByRole('table', { name: 'Runs of load plans' });
  await expect(runs).toContainText('Visits: 2 rows, 2 new or changed from visits-1.csv');
  // A form that is opened while the pause is on its way stays open, with what is typed.
  let goOn = (): void => undefined;
  const held = new Promise<void>((resolve) => (goOn = resolve));
  await page.route('**/plans/Night', async (route) => {
    await held;
    await route.continue();
  });
  await plans.getByRole('button', { name: 'Pause Night' }).click();
  await plans.getByRole('button', { name: 'Change the load plan Night' }).click();
  const changed = plans.getByRole('form', { name: 'Load plan Night' });
  await changed.getByLabel('File of step 1').fill('incoming/none-*.csv');
  goOn();
  await expect(page.getByText('Load plan Night saved')).toBeVisible();
  await expect(plans.getByText(/^next:/)).toHaveCount(0);
  await page.unroute('**/plans/Night');
  await expect(changed.getByLabel('File of step 1')).toHaveValue('incoming/none-*.csv');
  await changed.getByRole('button', { name: 'Save' }).click();
  await expect(plans.getByText(/, paused/)).toBeVisible();
  await plans.getByRole('button', { name: 'Run Night now' }).click();
  await expect(runs.getByRole('row').nth(1)).toContainText('is called incoming/none-*.csv yet');
  await page.reload();
  await expect(runs.getByRole('row')).toHaveCount(3);
  await plans.getByRole('button', { name: 'Remove the load plan Night' }).click();
  await expect(page.getByText('Load plan Night removed; what it loaded stays')).toBeVisible();
});
