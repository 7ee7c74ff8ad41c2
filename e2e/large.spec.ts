import type { Page } from '@playwright/test';
import type { Model } from '@crease/core/model';
import { expect, test } from './journey.ts';

// Of what is long, only what is near to the window is drawn: the rest is there once one comes to it.

const [FACTS, DIMENSIONS] = [30, 40];

/** Facts that each look up three dimensions; the last row of each finds no partner. */
function manyStars(): Model {
  const fact = (n: number) => `fact_${String(n).padStart(2, '0')}`;
  const dimension = (n: number) => `member_${String(n).padStart(2, '0')}`;
  const looks = (f: number) => [0, 1, 2].map((k) => (f + k * 7) % DIMENSIONS);
  return {
    crease: 1,
    name: 'many-stars',
    title: 'Many stars',
    tables: [
      ...Array.from({ length: FACTS }, (_, f) => ({
        name: fact(f),
        role: 'fact' as const,
        source: { members: [1, 2, 9].map((k, i) => ({ id: i + 1, ...Object.fromEntries(looks(f).map((d) => [`m${d}`, k])) })) }, // oxfmt-ignore
        key: ['id'],
        columns: ['id', ...looks(f).map((d) => `m${d}`)].map((name) => ({ name, type: 'integer' })),
      })),
      ...Array.from({ length: DIMENSIONS }, (_, d) => ({
        name: dimension(d),
        role: 'dimension' as const,
        source: { members: [{ id: 1 }, { id: 2 }] },
        key: ['id'],
        columns: [{ name: 'id', type: 'integer' }],
      })),
    ],
    relationships: Array.from({ length: FACTS }, (_, f) =>
      looks(f).map((d) => ({
        name: `${fact(f)}_${d}`,
        from: { table: fact(f), columns: [`m${d}`] },
        to: { table: dimension(d), columns: ['id'] },
      })),
    ).flat(),
  };
}

async function opened(page: Page, stage: string): Promise<void> {
  const made = await page.request.post('/api/models/import', { data: { text: JSON.stringify(manyStars()) } });
  const { id } = (await made.json()) as { id: number };
  await page.goto(`/m/${id}/${stage}`);
  await expect(page.getByRole('link', { name: /^Claims:.* 0 unchecked/ })).toBeVisible();
}

test.beforeEach(({ page }) => {
  page.on('pageerror', (error) => {
    throw error;
  });
});

test('a matrix of many facts and dimensions is drawn where it is scrolled to, with its headings', async ({
  page,
}) => {
  await opened(page, 'stars?view=matrix');
  const matrix = page.getByRole('table', { name: 'Matrix of facts and dimensions' });
  await expect(matrix).toHaveAttribute('aria-colcount', String(DIMENSIONS + 1));
  await expect(matrix.getByRole('button', { name: 'member_00', exact: true })).toBeVisible();
  await expect(matrix.getByRole('button', { name: 'member_39', exact: true })).toHaveCount(0);
  await page.getByRole('group', { name: 'Matrix, to scroll' }).evaluate((box) => box.scrollTo(9e9, 9e9));
  await expect(matrix.getByRole('button', { name: 'member_39', exact: true })).toBeInViewport();
  await expect(matrix.getByRole('button', { name: 'fact_29', exact: true })).toBeInViewport();
  await expect(matrix.getByRole('button', { name: 'member_00', exact: true })).toHaveCount(0);
  // What a cell says is worked out for it, and explained beside it.
  await matrix.getByRole('button', { name: /^member_36 reaches fact_29.* but / }).click();
  await expect(page.getByRole('region', { name: 'How member_36 reaches fact_29' })).toBeVisible();
});

test('of hundreds of claims the last is there once one scrolls to it', async ({ page }) => {
  await opened(page, 'claims');
  await page.getByRole('button', { name: /^holds/ }).click();
  const list = page.getByRole('region', { name: 'reference-complete' });
  await expect(list.getByRole('heading')).toContainText('90 claims');
  expect(await page.getByRole('main').locator('button.rowlink').count()).toBeLessThan(200);
  await list.evaluate((group) => group.scrollIntoView({ block: 'end' }));
  await expect(list.getByRole('button').last()).toBeInViewport();
  await list.getByRole('button').last().click();
  await expect(page.getByRole('article')).toContainText('fact_29');
});

test('the release of a model with many broken claims lists them as they are scrolled to', async ({
  page,
}) => {
  await opened(page, 'release');
  const blocking = page.getByRole('region', { name: 'Blocking a release' });
  await expect(blocking.getByRole('heading')).toContainText('90');
  await expect(blocking.getByRole('button').first()).toBeVisible();
  await blocking.evaluate((g) => g.scrollIntoView({ block: 'end' }));
  await expect(blocking.getByRole('button').last()).toContainText('fact_29');
});
