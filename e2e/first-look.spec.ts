import { expect, test } from './journey.ts';

// The first look at the demo, in the real screens: seen, mended, left and taken up again; help and its pages.

test('the first look walks from a code that leads nowhere to a release, is left and taken up again', async ({
  page,
}) => {
  page.on('pageerror', (error) => {
    throw error;
  });
  await page.goto('/');
  await page
    .getByRole('link', { name: /Lantern Valley/ })
    .first()
    .click();
  await expect(page).toHaveURL(/stars/);
  await page.getByRole('button', { name: 'Take the first look' }).click();
  const look = page.getByRole('complementary', { name: 'First look' });
  await expect(look).toContainText('1 of 7');
  await look.getByRole('button', { name: 'Show me' }).click();
  await expect(page).toHaveURL(/claim=reference-complete/);
  await page
    .getByRole('button', { name: /^Apply: Add a member/ })
    .first()
    .click();
  await expect(look.getByRole('status')).toContainText('It holds now');
  await expect(look).toContainText('1 done');

  // Left, and taken up where it was after a reload.
  await look.getByRole('button', { name: 'Next' }).click();
  await expect(look).toContainText('2 of 7');
  await look.getByRole('button', { name: 'Leave the first look' }).click();
  await expect(look).toBeHidden();
  await page.reload();
  await page.getByRole('button', { name: 'Help' }).click();
  await page.getByRole('button', { name: 'Take the first look' }).click();
  await expect(look).toContainText('2 of 7');
  for (const at of [3, 4, 5, 6, 7]) {
    await look.getByRole('button', { name: 'Next' }).click();
    await expect(look).toContainText(`${at} of 7`);
    await look.getByRole('button', { name: 'Show me' }).click();
  }
  await expect(page.getByRole('heading', { name: 'Release', exact: true })).toBeVisible();
  await expect(look).toContainText('4 done');

  // What is undone is not done any more; and the demo is as it was.
  await page.keyboard.press('Control+z');
  await expect(look).toContainText('3 done');
  await look.getByRole('button', { name: 'Leave the first look' }).click();
  await page.keyboard.press('?');
  const help = page.getByRole('dialog');
  await expect(help).toContainText('What stands against a release, the definitions that leave');
  await help.getByRole('link', { name: 'More in the documentation' }).click();
  await expect(page.getByRole('heading', { name: 'Claims', level: 1 })).toBeVisible();
  await page.getByRole('link', { name: 'First look', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'First look', level: 1 })).toBeVisible();
  // A picture of a page is there.
  await page.getByRole('link', { name: 'Performance', exact: true }).click();
  const picture = page.getByRole('img', { name: /^Times by lines of the fact/ });
  await expect.poll(() => picture.evaluate((img: HTMLImageElement) => img.naturalWidth)).toBeGreaterThan(100);
  await page.goto('/docs/nothing');
  await expect(page.getByText('There is no page nothing')).toBeVisible();
});
