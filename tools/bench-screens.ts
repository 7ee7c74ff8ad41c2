// How quickly screens answer on a large model: 200 tables, 3,000 columns, 3,000 measures. Prints medians.
// Called by tools/bench.mjs screens.
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { chromium } from '@playwright/test';
import type { Page } from '@playwright/test';
import type { Model } from '@crease/core/model';
import { BROWSER } from '../e2e/browser.ts';

const [TABLES, COLUMNS, MEASURES, ROUNDS] = [200, 15, 3000, 5];
/** Every eighth table is a fact, which refers to the seven behind it. */
const isFact = (t: number): boolean => t % 8 === 0;
const tableName = (t: number): string => `t${String(t).padStart(3, '0')}`;

function largeModel(): Model {
  const typeOf = (c: number) => (c % 3 === 0 ? 'decimal(9,2)' : c % 3 === 1 ? 'integer' : 'text');
  const useOf = (c: number) => (['quantity', 'reference', 'attribute'] as const)[c % 3]!;
  const row = (r: number) =>
    Object.fromEntries([
      ['id', r + 1],
      ...Array.from({ length: COLUMNS - 1 }, (_, i) => {
        const c = i + 1;
        return [
          `c${c}`,
          c % 3 === 0 ? (r * c + 0.5).toFixed(2) : c % 3 === 1 ? (r % 20) + 1 : `v${(r * c) % 7}`,
        ];
      }),
    ]) as Record<string, string | number>;
  const numbers = Array.from({ length: TABLES }, (_, t) => t);
  return {
    crease: 1,
    name: 'large',
    title: 'Large',
    tables: numbers.map((t) => ({
      name: tableName(t),
      role: isFact(t) ? ('fact' as const) : ('dimension' as const),
      source: { members: Array.from({ length: 20 }, (_, r) => row(r)) },
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer', use: 'key' as const },
        ...Array.from({ length: COLUMNS - 1 }, (_, i) => ({
          name: `c${i + 1}`,
          type: typeOf(i + 1),
          use: useOf(i + 1),
        })),
      ],
    })),
    relationships: numbers.filter(isFact).flatMap((t) =>
      [1, 4, 7, 10, 13, 1, 4].flatMap((c, i) =>
        t + i + 1 < TABLES
          ? [
              {
                name: `${tableName(t)}_${i + 1}`,
                from: { table: tableName(t), columns: [`c${c}`] },
                to: { table: tableName(t + i + 1), columns: ['id'] },
              },
            ]
          : [],
      ),
    ),
    measures: Array.from({ length: MEASURES }, (_, m) => ({
      name: `M ${m}`,
      folder: `Folder ${m % 40}`,
      formula:
        m % 3 !== 0
          ? `sum(${tableName((m % 25) * 8)}.c${[3, 6, 9, 12][m % 4]})`
          : m > 3
            ? `"M ${m - 1}" + "M ${m - 2}"`
            : 'count(t000)',
    })),
    perspectives: ['Readers', 'Others'].map((name) => ({
      name,
      tables: numbers.slice(0, 40).map(tableName),
      columns: [],
      hierarchies: [],
      measures: Array.from({ length: 400 }, (_, m) => `M ${m}`),
    })),
  };
}

/** Letters that are typed: the stage, its field, what stands there after each, what opens the field. */
const FILTERS: readonly (readonly [string, string, readonly string[], string?])[] = [
  [
    'measures',
    'input[aria-label="Filter"]',
    ['M', 'M ', 'M 1', 'M 12', 'M 121', 'M 12', 'M 1', 'M ', 'M', ''],
  ],
  ['claims', 'input[aria-label="Filter"]', ['t', 't0', 't01', 't012', 't01', 't0', 't', '']],
  ['perspectives', 'input[aria-label="Filter objects"]', ['t', 't0', 't01', 't0', 't', '']],
  ['storage?view=columns', 'input[aria-label="Search columns"]', ['c', 'c1', 'c12', 'c1', 'c', '']],
  ['texts', 'input[aria-label="Search texts"]', ['c', 'c1', 'c12', 'c1', 'c', '']],
  ['trial', 'input[aria-label="Add a measure"]', ['M', 'M 1', 'M 12', 'M 1', 'M', ''], 'button[aria-label="Add a measure"]'], // oxfmt-ignore
  ['shape', 'input[aria-label="Find or do"]', ['M', 'M 1', 'M 12', 'M 1', 'M', ''], 'button[aria-label="Find or do"]'], // oxfmt-ignore
];

/** What is pressed: its name, the stage, what, what shows it, and the way back with what shows that. */
const CLICKS = [
  ['a measure is chosen', 'measures', '#entry-4', '#entry-4[aria-current=true]', '#entry-6', '#entry-6[aria-current=true]'],
  ['a table of the diagram is chosen', 'stars', '[data-diagram] [aria-label^="fact"]', '[data-diagram] [aria-label^="fact"][aria-pressed=true]', '[data-diagram] [aria-label^="dimension"]', '[data-diagram] [aria-label^="dimension"][aria-pressed=true]'],
  ['stars as a matrix', 'stars', '[role=tab]:nth-child(2)', '[role=tab]:nth-child(2)[aria-selected=true]', '[role=tab]:nth-child(1)', '[role=tab]:nth-child(1)[aria-selected=true]'],
  ['all columns of storage', 'storage', '[role=tablist] :nth-child(2), [aria-pressed=false]', 'input[aria-label="Search columns"]', '[aria-pressed=false]', 'main:not(:has(input[aria-label="Search columns"]))'],
] as const; // oxfmt-ignore

const median = (list: readonly number[]): number =>
  Math.round([...list].sort((a, b) => a - b)[Math.floor(list.length / 2)]!);

/**
 * Gives the page `painted()`, which ends when the frame that is being made is painted: what is posted to a
 * channel from a callback of it comes after its paint. A frame more would count 17 ms of nothing.
 */
const TELL_PAINTED = `globalThis.painted = () =>
  new Promise((done) =>
    requestAnimationFrame(() => {
      const { port1, port2 } = new MessageChannel();
      port1.onmessage = () => done();
      port2.postMessage(undefined);
    }),
  );`;
declare const painted: () => Promise<void>;

/** From a click on something until `there` is painted, in milliseconds. Both are selectors of CSS. */
const click = (page: Page, what: string, there: string): Promise<number> =>
  page.evaluate(
    async ([clicked, wanted]) => {
      const element = document.querySelector(clicked!);
      if (!element) throw new Error(`there is no ${clicked}`);
      const start = performance.now();
      element.dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true }));
      do await painted();
      while (!document.querySelector(wanted!) && performance.now() - start < 20_000);
      return performance.now() - start;
    },
    [what, there],
  );

/** From a letter that is typed into a field to the list that is painted for it. */
const letter = (page: Page, field: string, text: string): Promise<number> =>
  page.evaluate(
    async ([selector, typed]) => {
      const input = document.querySelector<HTMLInputElement>(selector!)!;
      const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')!.set!;
      const start = performance.now();
      set.call(input, typed);
      input.dispatchEvent(new Event('input', { bubbles: true }));
      // What is typed shows in one frame, the list may follow in the next.
      await painted();
      await painted();
      return performance.now() - start;
    },
    [field, text],
  );

const frames = (page: Page): Promise<number> =>
  page.evaluate(async () => {
    const box = document.querySelector('[role=grid]')!;
    let count = 0;
    const start = performance.now();
    while (performance.now() - start < 2000) {
      box.scrollTop += 60;
      await new Promise((done) => requestAnimationFrame(done));
      count++;
    }
    return count / 2;
  });

const scratch = mkdtempSync(join(tmpdir(), 'crease-screens-'));
const port = 4700 + Math.floor(Math.random() * 200);
const server = spawn(
  process.execPath,
  [resolve('cli/bin/crease.mjs'), 'serve', '--workspace', 'large.sqlite', '--port', String(port)],
  { cwd: scratch, stdio: ['ignore', 'pipe', 'inherit'], env: { ...process.env, XDG_CONFIG_HOME: scratch } },
);
await new Promise<void>((ready, fail) => {
  server.stdout.on('data', (text: Buffer) => text.toString().includes('Crease is at') && ready());
  server.on('exit', () => fail(new Error('the server did not start')));
});
const browser = await chromium.launch(BROWSER);
try {
  const url = `http://127.0.0.1:${port}`;
  const made = await fetch(`${url}/api/models/import`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ text: JSON.stringify(largeModel()) }),
  });
  if (!made.ok) throw new Error(await made.text());
  const { id } = (await made.json()) as { id: number };
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  // What strips the types names functions by a helper, which the page has not.
  await page.addInitScript('globalThis.__name = (named) => named');
  await page.addInitScript(TELL_PAINTED);
  await page.goto(`${url}/m/${id}/measures`);
  await page.getByRole('link', { name: /^Claims:.* 0 unchecked/ }).waitFor({ timeout: 120_000 });
  const stages = ['intake', 'shape', 'stars', 'hierarchies', 'perspectives', 'trial', 'storage', 'release', 'claims', 'measures']; // oxfmt-ignore
  const times = new Map<string, number[]>();
  const note = (says: string, ms: number) => times.set(says, [...(times.get(says) ?? []), ms]);
  for (let round = 0; round <= ROUNDS; round++)
    for (const stage of stages) {
      const link = stage === 'claims' ? 'a[href*="/claims"]' : `nav a[href*="/${stage}"]`;
      const ms = await click(page, link, `main[aria-label="Design: ${stage}" i]`);
      // The first round loads what each stage needs.
      if (round > 0) note(`to ${stage}`, ms);
      await page.waitForTimeout(600);
    }
  const elements = await page.evaluate(() => document.querySelectorAll('*').length);
  for (const [stage, field, texts, opener] of FILTERS) {
    await page.goto(`${url}/m/${id}/${stage}`);
    await page
      .locator(opener ?? field)
      .first()
      .waitFor();
    await page.waitForTimeout(1500);
    if (opener !== undefined)
      for (let round = 0; round <= ROUNDS; round++) {
        const ms = await click(page, opener, field);
        if (round > 0) note(`opened: ${opener.split('"')[1]}`, ms);
        await page.waitForTimeout(400);
        if (round < ROUNDS) await page.keyboard.press('Escape');
        await page.waitForTimeout(400);
      }
    for (const text of texts) {
      note(`a letter: ${opener?.split('"')[1] ?? stage}`, await letter(page, field, text));
      await page.waitForTimeout(250);
    }
  }
  for (const [says, stage, what, there, back, gone] of CLICKS) {
    await page.goto(`${url}/m/${id}/${stage}`);
    await page.locator(what).first().waitFor();
    await page.waitForTimeout(1500);
    for (let round = 0; round <= ROUNDS; round++) {
      const ms = await click(page, what, there);
      if (round > 0) note(says, ms);
      await page.waitForTimeout(400);
      await click(page, back, gone);
      await page.waitForTimeout(400);
    }
  }
  await page.goto(`${url}/m/${id}/measures`);
  await page.locator('[role=grid]').waitFor();
  await page.waitForTimeout(2000);
  const rates: number[] = [];
  for (let round = 0; round < ROUNDS; round++) rates.push(await frames(page));
  console.log(`${TABLES} tables, ${TABLES * COLUMNS} columns, ${MEASURES} measures`);
  console.log('from a click or a letter to what is painted for it (goal: under 100 ms):');
  for (const [says, list] of times)
    console.log(`  ${says}: ${median(list)} ms, at most ${Math.round(Math.max(...list))}`);
  console.log(`elements of Measures: ${elements}`);
  console.log(`scrolling the catalog: ${median(rates)} frames a second`);
} finally {
  await browser.close();
  server.kill('SIGTERM');
  await new Promise((done) => server.on('exit', done));
  rmSync(scratch, { recursive: true, force: true });
}
