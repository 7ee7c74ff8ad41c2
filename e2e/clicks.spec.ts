import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from './journey.ts';
import { serveDemo } from './serveDemo.ts';
import type { APIRequestContext, Locator, Page } from '@playwright/test';
import { edited, loadText, newModel, stateOf } from './byApi.ts';
import { seeded } from '../server/test/torture/seeded.ts';
import type { Seeded } from '../server/test/torture/seeded.ts';

// A seeded walk over every control that can be seen, on a small model of its own: no error of the page, no
// failed stage, no fault of the server; what an act changes is brought back by undo.
// `npm run torture -- clicks --count 2000 --seed 1` walks on.

const ACTS = Number(process.env.CREASE_CLICKS ?? 15);
const SEED = Number(process.env.CREASE_SEED ?? 1);
const STAGES = [
  'intake',
  'shape',
  'stars',
  'hierarchies',
  'measures',
  'perspectives',
  'storage',
  'trial',
  'claims',
  'release',
];
const TEXTS = [
  '',
  ' ',
  'x',
  'branch',
  'sum(loan.copies)',
  '1 +',
  '2026-01-05',
  'ä'.repeat(250),
  '"; drop',
  '0',
  '-1e99',
];
const FILES = {
  loan: 'id,branch_code,day,copies\n1,B1,2026-01-05,2\n2,B2,2026-02-06,1\n3,B9,2026-03-07,4\n4,,2026-03-08,1\n',
  branch: 'code,name,town\nB1,North,Ashford\nB2,South,Ashford\nB3,Thornton,Fernside\n',
};

async function made(request: APIRequestContext): Promise<number> {
  const id = await newModel(request, 'Walked over');
  for (const [name, text] of Object.entries(FILES)) await loadText(request, id, name, text);
  await edited(request, id, [
    { do: 'set-table', table: 'loan', change: { role: 'fact', key: ['id'] } },
    { do: 'set-table', table: 'branch', change: { role: 'dimension', key: ['code'] } },
    {
      do: 'put-relationships',
      name: null,
      value: {
        name: 'loan_branch',
        from: { table: 'loan', columns: ['branch_code'] },
        to: { table: 'branch', columns: ['code'] },
      },
    },
    { do: 'put-measures', name: null, value: { name: 'Loans', formula: 'count(loan)' } },
    {
      do: 'put-hierarchies',
      name: null,
      value: {
        name: 'Place',
        table: 'branch',
        levels: [
          { name: 'Town', column: 'town' },
          { name: 'Branch', column: 'name' },
        ],
      },
    },
  ]);
  return id;
}

/** Faults that somebody at the screen would not see, or would see as a page that has broken. */
function watch(page: Page, faults: string[]): void {
  page.on('pageerror', (error) => faults.push(`error of the page: ${error.message}`));
  page.on('console', (message) => {
    // That the server said no is told by the page; the browser says it too.
    if (message.type() === 'error' && !message.text().includes('Failed to load resource'))
      faults.push(`console: ${message.text().slice(0, 400)}`);
  });
  page.on('response', (response) => {
    if (response.status() >= 500) faults.push(`${response.status()} of ${response.url()}`);
  });
  page.on('dialog', (dialog) => void dialog.accept());
}

const CONTROLS =
  'a[href^="/m/"], button:not([disabled]), input:not([type=file]):not([disabled]), select:not([disabled]), textarea, [tabindex="0"], summary';

/** Does one thing with a control; what cannot be done any more, since it went away meanwhile, is none. */
async function act(control: Locator, random: Seeded): Promise<string> {
  const brief = { timeout: 1_000 };
  const [tag, type, says] = await control.evaluate(
    (e) =>
      [
        e.tagName,
        (e as HTMLInputElement).type ?? '',
        (e.getAttribute('aria-label') ?? e.textContent ?? '').slice(0, 40),
      ] as const,
    undefined,
    brief,
  );
  if (tag === 'SELECT') {
    const values = await control
      .locator('option')
      .evaluateAll((all) => all.map((o) => (o as HTMLOptionElement).value));
    if (values.length > 0) await control.selectOption(random.pick(values), brief);
    return `choose in ${says}`;
  }
  if (tag === 'TEXTAREA' || (tag === 'INPUT' && !['checkbox', 'radio', 'range', 'color'].includes(type))) {
    // A field of numbers takes no letters from a keyboard either.
    const text = random.pick(type === 'number' ? ['0', '7', '-1', '1e9', ''] : TEXTS);
    await control.fill(text, brief);
    await control.press(random.pick(['Enter', 'Tab', 'Escape']), brief);
    return `write "${text.slice(0, 20)}" in ${says}`;
  }
  await control.click(brief);
  return `click ${says}`;
}

/** What somebody sees of a page, and what it asked of the server: where neither changes, nothing was done. */
async function seen(page: Page, asked: () => number): Promise<string> {
  const state = await page.evaluate(() => {
    const fields = [...document.querySelectorAll<HTMLInputElement>('input, select, textarea')];
    const active = document.activeElement;
    return [
      location.href,
      document.documentElement.outerHTML,
      ...fields.map((f) => `${f.value} ${f.checked}`),
      active?.outerHTML.slice(0, 200) ?? '',
    ].join('\n');
  });
  return `${asked()} ${state}`;
}

interface Walk {
  readonly id: number;
  /** Windows on the model: most is done in the first. */
  readonly pages: readonly Page[];
  readonly request: APIRequestContext;
  readonly random: Seeded;
  readonly acts: number;
}

async function walk({ id, pages, request, random, acts }: Walk): Promise<void> {
  const faults: string[] = [];
  for (const page of pages) watch(page, faults);
  let requests = 0;
  const asked = () => requests;
  for (const page of pages) page.on('request', () => requests++);
  const path: string[] = [];
  const modelNow = () => stateOf(request, id);
  for (const page of pages) await page.goto(`/m/${id}/shape`);
  for (let n = 0; n < acts; n++) {
    const window = pages.length > 1 && random.chance(0.2) ? 1 : 0;
    const page = pages[window]!;
    if (random.chance(0.08) || !page.url().includes(`/m/${id}`)) {
      const stage = random.pick(STAGES);
      path.push(`go to ${stage}`);
      await page.goto(`/m/${id}/${stage}`);
    }
    await page.locator('nav').first().waitFor({ state: 'attached', timeout: 10_000 });
    const before = await modelNow();
    const did = await step(page, random, asked);
    // Who does the same once more is told the same once more.
    if (did.silent && path.at(-1) !== did.said)
      faults.push(`nothing happens, and nothing is said: ${did.said}`);
    path.push(`${window === 1 ? 'beside: ' : ''}${did.said}`);
    // What was done comes to rest: the server answers, the page shows it.
    await page.waitForLoadState('networkidle', { timeout: 3_000 }).catch(() => undefined); // a stream of events stays open
    await page.waitForTimeout(60);
    for (const shown of pages) {
      const failed = shown.locator('[data-failed]');
      if ((await failed.count()) > 0) faults.push(`it cannot be shown: ${await failed.first().innerText()}`);
    }
    const after = await modelNow();
    if (after.revision.number === before.revision.number + 1 && random.chance(0.3)) {
      path.push('undo');
      const undone = await request.post(`/api/models/${id}/undo`, { data: { base: after.revision.id } });
      if (undone.ok()) {
        const restored = await modelNow();
        if (JSON.stringify(restored.model) !== JSON.stringify(before.model))
          faults.push('undo does not bring back the former model');
      } else faults.push(`undo is refused: ${await undone.text()}`);
    }
    expect(faults, path.slice(-12).join('\n')).toEqual([]);
  }
}

test(`a walk of ${ACTS} acts in two windows, seed ${SEED}`, async ({ page, context, request }) => {
  test.setTimeout(180_000 + ACTS * 2_000);
  const id = await made(request);
  const pages = [page, await context.newPage()];
  await walk({ id, pages, request, random: seeded(SEED), acts: ACTS });
});

test(`a walk of ${ACTS} acts over the demo, seed ${SEED}`, async ({ browser }) => {
  test.setTimeout(180_000 + ACTS * 2_000);
  // On a server of its own: the demo of the other journeys stays as it is.
  const folder = mkdtempSync(join(tmpdir(), 'crease-walk-'));
  const server = await serveDemo(join(folder, 'walk.sqlite'), 2000);
  try {
    const context = await browser.newContext({ baseURL: server.address });
    const { request } = context;
    const [first] = (await (await request.get('/api/models')).json()) as { id: number }[];
    const page = await context.newPage();
    await walk({ id: first!.id, pages: [page], request, random: seeded(SEED), acts: ACTS });
  } finally {
    await server.end();
    rmSync(folder, { recursive: true, force: true });
  }
});

/** Whether a press has to change something: a choice that is made already may be made again. */
const expectsChange = (control: Locator): Promise<boolean> =>
  control.evaluate(
    (e) =>
      e.tagName === 'BUTTON' &&
      !['aria-pressed', 'aria-selected', 'aria-current', 'aria-checked', 'download'].some(
        (name) => (e.getAttribute(name) ?? 'false') !== 'false',
      ),
    undefined,
    { timeout: 1_000 },
  );

async function changes(page: Page, before: string, asked: () => number): Promise<boolean> {
  for (let tries = 0; tries < 10; tries++) {
    if ((await seen(page, asked)) !== before) return true;
    await page.waitForTimeout(50);
  }
  return false;
}

interface Did {
  readonly said: string;
  /** Nothing that can be seen has changed. */
  readonly silent?: boolean;
}

async function step(page: Page, random: Seeded, asked: () => number): Promise<Did> {
  const way = random.next();
  if (way < 0.03) {
    await page.goBack();
    return { said: 'back' };
  }
  if (way < 0.06) {
    await page.keyboard.press(
      random.pick(['Escape', 'Tab', 'Enter', 'Control+z', 'Control+k', 'Delete', 'ArrowDown']),
    );
    return { said: 'a key' };
  }
  // While a dialog is open, nothing else can be reached.
  const dialog = page.getByRole('dialog');
  const within = (await dialog.count()) > 0 ? dialog.last() : page;
  const visible = within.locator(CONTROLS).filter({ visible: true });
  const count = await visible.count();
  if (count === 0) return { said: 'nothing to do' };
  try {
    const control = visible.nth(random.below(count));
    const answers = await expectsChange(control);
    const before = answers ? await seen(page, asked) : '';
    const said = await act(control, random);
    return { said, silent: answers && !(await changes(page, before, asked)) };
  } catch (error) {
    // It went away, or something lies over it.
    if (
      error instanceof Error &&
      /Timeout|intercepts|detached|not attached|is not an? </i.test(error.message)
    )
      return { said: 'what was to be done has gone' };
    throw error;
  }
}
