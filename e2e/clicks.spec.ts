import { expect, test } from '@playwright/test';
import type { APIRequestContext, Locator, Page } from '@playwright/test';
import type { JobState, ModelState, PreviewState } from '@crease/contract';
import { seeded } from '../server/test/torture/seeded.ts';
import type { Seeded } from '../server/test/torture/seeded.ts';

// A seeded walk over every control that can be seen, on a small model of its own: no error of the page, no failed stage, no fault of the server;
// what an act changes is brought back by undo. `npm run torture -- clicks --count 2000 --seed 1` walks on.

const ACTS = Number(process.env.CREASE_CLICKS ?? 80);
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
  const { id } = (await (await request.post('/api/models', { data: { title: 'Walked over' } })).json()) as {
    id: number;
  };
  for (const [name, text] of Object.entries(FILES)) {
    const sent = await request.post(`/api/uploads?name=${name}.csv`, {
      data: Buffer.from(text),
      headers: { 'content-type': 'application/octet-stream' },
    });
    const upload = ((await sent.json()) as { id: string }).id;
    const { preview } = (await (
      await request.post(`/api/uploads/${upload}/preview`, { data: {} })
    ).json()) as PreviewState;
    const columns = preview.columns.map((c) => ({
      name: c.name,
      fileName: c.fileName,
      place: c.place,
      type: c.type.kind,
      ...(c.pattern ? { pattern: c.pattern } : {}),
    }));
    const table = { upload, name, dialect: preview.dialect, columns };
    let job = (await (
      await request.post(`/api/models/${id}/intake`, { data: { tables: [table] } })
    ).json()) as JobState;
    while (job.state === 'running')
      job = (await (await request.get(`/api/jobs/${job.id}`)).json()) as JobState;
    expect(job.state).toBe('done');
  }
  const { revision } = (await (await request.get(`/api/models/${id}`)).json()) as ModelState;
  const edit = [
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
  ];
  const answer = await request.post(`/api/models/${id}/edits`, {
    data: { base: revision.id, edit, says: 'made' },
  });
  expect(answer.ok(), await answer.text()).toBe(true);
  return id;
}

/** Faults that somebody at the screen would not see, or would see as a page that has broken. */
function watched(page: Page): string[] {
  const faults: string[] = [];
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
  return faults;
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
    const text = random.pick(TEXTS);
    await control.fill(text, brief);
    await control.press(random.pick(['Enter', 'Tab', 'Escape']), brief);
    return `write "${text.slice(0, 20)}" in ${says}`;
  }
  await control.click(brief);
  return `click ${says}`;
}

test(`a walk of ${ACTS} acts, seed ${SEED}`, async ({ page, request }) => {
  test.setTimeout(60_000 + ACTS * 2_000);
  const random = seeded(SEED);
  const id = await made(request);
  const faults = watched(page);
  const modelNow = async () => (await (await request.get(`/api/models/${id}`)).json()) as ModelState;
  const path: string[] = [];
  await page.goto(`/m/${id}/shape`);
  for (let n = 0; n < ACTS; n++) {
    if (random.chance(0.08) || !page.url().includes(`/m/${id}`)) {
      const stage = random.pick(STAGES);
      path.push(`go to ${stage}`);
      await page.goto(`/m/${id}/${stage}`);
    }
    await page.locator('nav').first().waitFor({ state: 'attached', timeout: 10_000 });
    const before = await modelNow();
    path.push(await step(page, random));
    // What was done comes to rest: the server answers, the page shows it.
    await page.waitForLoadState('networkidle', { timeout: 3_000 }).catch(() => undefined); // a stream of events stays open
    await page.waitForTimeout(60);
    const failed = page.locator('[data-failed]');
    if ((await failed.count()) > 0) faults.push(`it cannot be shown: ${await failed.first().innerText()}`);
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
});

async function step(page: Page, random: Seeded): Promise<string> {
  const way = random.next();
  if (way < 0.03) {
    await page.goBack();
    return 'back';
  }
  if (way < 0.06) {
    await page.keyboard.press(
      random.pick(['Escape', 'Tab', 'Enter', 'Control+z', 'Control+k', 'Delete', 'ArrowDown']),
    );
    return 'a key';
  }
  // While a dialog is open, nothing else can be reached.
  const dialog = page.getByRole('dialog');
  const within = (await dialog.count()) > 0 ? dialog.last() : page;
  const visible = within.locator(CONTROLS).filter({ visible: true });
  const count = await visible.count();
  if (count === 0) return 'nothing to do';
  try {
    return await act(visible.nth(random.below(count)), random);
  } catch (error) {
    // It went away, or something lies over it.
    if (error instanceof Error && /Timeout|intercepts|detached|not attached/i.test(error.message))
      return 'what was to be done has gone';
    throw error;
  }
}
