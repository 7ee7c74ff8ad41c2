import { expect, test } from './journey.ts';
import type { QueryState } from '@crease/contract';
import { edited, loadText, newModel } from './byApi.ts';

// What is shown is what was answered: the cells of the page against the route's answer, by a formatter that
// shares nothing with that of the page.

const LETTERS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz';
const SIGNS = [
  '&',
  '<b>',
  "O'Neil",
  '=1+1',
  '-',
  '%',
  '\\',
  '/',
  '{}',
  '100 T',
  '2026-01-05T10:00',
  'Äöüß',
  'Ωλ',
  '日本',
  '😀',
  '1,5',
  '007',
];
const LABELS = [...LETTERS, ...SIGNS];
const HEADER = 'label,day,at,large,amount,flag';
const row = (label: string, i: number): string =>
  [
    `"${label.replaceAll('"', '""')}"`,
    i % 9 === 0 ? '' : `2026-01-${String((i % 28) + 1).padStart(2, '0')}`,
    `2026-02-03 0${i % 10}:05:09`,
    i % 11 === 0 ? '' : `90071992547409${String(i).padStart(2, '0')}`,
    `${i}.${String((i * 7) % 100).padStart(2, '0')}`,
    i % 2 === 0 ? 'true' : 'false',
  ].join(',');

/** A number as English writes it: digits in threes, as many decimals as it has. */
function grouped(text: string): string {
  const [, sign, whole, rest] = /^(-?)(\d+)(\.\d+)?$/.exec(text)!;
  return `${sign}${whole!.replace(/\B(?=(\d{3})+$)/g, ',')}${rest ?? ''}`;
}

/** A cell as a reader should see it. */
function expected(value: QueryState['rows'][number][number], type: string, isMember: boolean): string {
  if (value === null) return isMember ? 'null' : '';
  if (typeof value === 'object') return 'null' in value ? 'null' : 'unmatched';
  if (typeof value === 'boolean') return String(value);
  if (type === 'timestamp') return String(value).slice(0, 10) + ' ' + String(value).slice(11);
  return isMember || (typeof value === 'string' && !/^(integer|decimal)/.test(type))
    ? String(value)
    : grouped(String(value));
}

test('cells and totals of a trial show what the route answered', async ({ page, request }) => {
  const id = await newModel(request, 'Shown');
  const types = {
    label: 'text',
    at: 'timestamp',
    large: 'integer',
    amount: 'decimal(12,2)',
    flag: 'boolean',
  };
  await loadText(request, id, 'odd', `${[HEADER, ...LABELS.map(row)].join('\n')}\n`, types);
  await loadText(request, id, 'other', 'n\n1\n2\n');
  const format = { thousands: true };
  await edited(request, id, [
    { do: 'set-table', table: 'odd', change: { role: 'fact' } },
    { do: 'set-table', table: 'other', change: { role: 'fact' } },
    { do: 'put-measures', name: null, value: { name: 'Rows', formula: 'count(odd)', format } },
    { do: 'put-measures', name: null, value: { name: 'Largest', formula: 'max(odd.large)', format } },
    {
      do: 'put-measures',
      name: null,
      value: { name: 'Amount', formula: 'sum(odd.amount)', format: { thousands: true, decimals: 2 } },
    },
    { do: 'put-measures', name: null, value: { name: 'Latest', formula: 'max(odd.at)' } },
    { do: 'put-measures', name: null, value: { name: 'Others', formula: 'count(other)' } },
  ]);
  const measures = ['Rows', 'Largest', 'Amount', 'Latest', 'Others'];
  let compared = 0;
  for (const by of ['odd.label', 'odd.day', 'odd.at', 'odd.flag', 'odd.large']) {
    const query = { by: [by], measures };
    const asked = { ...query, totals: true, unmatched: 'apart' };
    const response = await request.post(`/api/models/${id}/query`, {
      data: { query: asked, texts: 'counting' },
    });
    expect(response.ok(), await response.text()).toBe(true);
    const answer = (await response.json()) as QueryState;
    // All rows are in the page at once where the window is tall enough.
    await page.setViewportSize({ width: 1280, height: 400 + 25 * answer.rows.length });
    await page.goto(`/m/${id}/trial?q=${encodeURIComponent(JSON.stringify(query))}`);
    const table = page.getByRole('table', { name: 'The answer' });
    await expect(table.getByRole('columnheader').first()).toContainText(by.split('.')[1]!);
    await expect(table.getByRole('rowgroup').getByRole('row')).toHaveCount(answer.rows.length);
    const shown = await table
      .getByRole('rowgroup')
      .getByRole('row')
      .evaluateAll((rows) =>
        rows.map((r) =>
          [...r.children].map((c) => {
            const cell = c.cloneNode(true) as Element;
            for (const mark of cell.querySelectorAll('[data-mark]')) mark.remove();
            return cell.textContent;
          }),
        ),
      );
    const wanted = answer.rows.map((cells) =>
      cells.map((value, i) => expected(value, answer.columns[i]!.type, answer.columns[i]!.kind === 'by')),
    );
    expect(shown, by).toEqual(wanted);
    // What is said of a total stands beside it, not in it.
    const totals = await table
      .getByRole('row')
      .last()
      .getByRole('cell')
      .evaluateAll((cells) =>
        cells.map((cell) => {
          const own = cell.cloneNode(true) as HTMLElement;
          for (const mark of own.querySelectorAll('[data-mark]')) mark.remove();
          return own.textContent;
        }),
      );
    expect(totals, by).toEqual([
      'total',
      ...answer.totals!.map((value, i) => expected(value, answer.columns[i + 1]!.type, false)),
    ]);
    compared += shown.flat().length + totals.length;
  }
  expect(compared).toBeGreaterThan(500);
});

test('what a chart says of the point under the pointer is what the route answered', async ({
  page,
  request,
}) => {
  const id = await newModel(request, 'Charted');
  const text = ['site,day,n,share'];
  for (let i = 0; i < 60; i++)
    text.push(`Site ${i % 3},2026-01-${String((i % 20) + 1).padStart(2, '0')},${i * 1234567},0.${i + 10}`);
  await loadText(request, id, 'odd', `${text.join('\n')}\n`, { share: 'decimal(6,2)' });
  const format = { thousands: true };
  await edited(request, id, [
    { do: 'set-table', table: 'odd', change: { role: 'fact' } },
    { do: 'put-measures', name: null, value: { name: 'Sum', formula: 'sum(odd.n)', format } },
    { do: 'put-measures', name: null, value: { name: 'Share', formula: 'max(odd.share)' } },
  ]);
  for (const [by, fewest] of [
    [['odd.site'], 6],
    [['odd.day'], 30],
    [['odd.site', 'odd.day'], 40],
  ] as const) {
    const query = { by, measures: by.length > 1 ? ['Sum'] : ['Sum', 'Share'] };
    const response = await request.post(`/api/models/${id}/query`, { data: { query, texts: 'counting' } });
    const answer = (await response.json()) as QueryState;
    // What may be said: of each member along the axis, each series with its value.
    const said = new Set<string>();
    for (const row of answer.rows)
      query.measures.forEach((measure, m) => {
        const column = by.length + m;
        const value = expected(row[column]!, answer.columns[column]!.type, false);
        const [along, label] = by.length > 1 ? [row[1], row[0]] : [row[0], measure];
        said.add(`${String(along)} | ${String(label)}: ${value}`);
      });
    await page.goto(`/m/${id}/trial?q=${encodeURIComponent(JSON.stringify(query))}&view=chart`);
    const chart = page.getByRole('img', { name: /^Chart of/ });
    await expect(chart).toBeVisible();
    const box = (await chart.locator('canvas').boundingBox())!;
    const heard = new Set<string>();
    for (let x = 2; x < box.width; x += 12) {
      await page.mouse.move(box.x + x, box.y + box.height / 2);
      const tip = page.getByRole('tooltip');
      if ((await tip.count()) === 0) continue;
      const title = await tip.locator('b').innerText();
      for (const line of await tip.locator('span').allInnerTexts()) heard.add(`${title} | ${line}`);
    }
    expect([...heard].filter((h) => !said.has(h))).toEqual([]);
    expect(heard.size, [...by].join(', ')).toBeGreaterThanOrEqual(fewest);
  }
});
