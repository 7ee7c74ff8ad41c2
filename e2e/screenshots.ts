// Takes one picture of each main view from the demo data: node --import tsx e2e/screenshots.ts [FOLDER] [NAME
// …]
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { spawn, spawnSync } from 'node:child_process';
import { chromium } from '@playwright/test';
import type { Page } from '@playwright/test';
import type { ClaimsState, JobState, ModelState } from '@crease/contract';
import { BROWSER } from './browser.ts';

const [folder = 'docs/screenshots', ...only] = process.argv.slice(2);
const scratch = mkdtempSync(join(tmpdir(), 'crease-shots-'));
/** A relative path: it is seen on the picture. */
const DATABASE = 'lantern-valley.sqlite';
const trial = (query: object) => `trial?q=${encodeURIComponent(JSON.stringify(query))}`;

interface Shot {
  readonly name: string;
  readonly path: string;
  readonly act?: (page: Page) => Promise<void>;
}

const loansByRegion = {
  by: [
    { hierarchy: 'branch.Geography', level: 'Region' },
    { hierarchy: 'branch.Geography', level: 'District' },
  ],
  measures: ['Loans', 'Share of late loans', 'Fines', 'Visitors', 'Budgeted'],
  filters: [{ period: 'fiscal year to date' }],
};
const shots: Shot[] = [
  {
    name: 'intake',
    path: 'intake?sel=table:loan_export',
    act: async (page) =>
      page
        .locator('input[type=file]')
        .first()
        .setInputFiles({
          name: 'opening_hours.csv',
          mimeType: 'text/csv',
          buffer: Buffer.from(
            'Opening hours of the branches\nexported 2026-06-30\n' +
              'branch_code;weekday;opens;closes;seats;since\nB001;1;9,5;18;1.120;01.01.2024\nB001;2;9,5;18;1.120;01.01.2024\nB002;1;10;19,25;85;15.02.2024\n' +
              'B002;3;10;n/a;85;15.02.2024\nB004;2;9;17;40;03.03.2025\nB004;4;9;17;40;03.03.2025\nB005;1;9;18,5;60;01.01.2024\nB005;3;9;18,5;60;01.01.2024\n' +
              'B006;2;10;18;35;01.09.2023\nB006;5;10;18;35;01.09.2023\nB003;5;9\n',
          ),
        }),
  },
  {
    name: 'load',
    path: 'intake?sel=table:branch',
    act: async (page) => {
      const rows = [
        'B001,Ashby Ferry Central,Ashby Ferry,UV1,1961-01-01,1905.50',
        'B041,Lantern Quay,Lantern Quay,UV2,2026-05-02,640.00',
      ];
      await page
        .locator('input[type=file]')
        .first()
        .setInputFiles({
          name: 'branch.csv',
          mimeType: 'text/csv',
          buffer: Buffer.from(
            `branch_code,name,town,district_code,opened_on,floor_area\n${rows.join('\n')}\n`,
          ),
        });
      await page.getByLabel('Existing rows').selectOption('update');
      await page.getByLabel('Recipe').fill('branches weekly');
      await page.getByRole('button', { name: 'Dry run' }).click();
      await page.getByText('examples of changes').click();
    },
  },
  {
    name: 'databases',
    path: 'intake?view=databases',
    act: async (page) => {
      await page.getByLabel('Kind of database').selectOption('sqlite');
      await page.getByLabel('Name of the connection').fill('circulation');
      await page.getByLabel('Path of the file').fill(DATABASE);
      await page.getByRole('button', { name: 'Save' }).click();
      await page.getByLabel('Choose loan_export', { exact: true }).check();
      await page.getByRole('button', { name: 'Add referenced tables' }).click();
      await page.getByRole('button', { name: 'Check rights' }).click();
    },
  },
  { name: 'shape', path: 'shape?sel=column:loan_export.card_no' },
  {
    name: 'steps',
    path: 'shape?sel=table:desk_use&view=steps&step=4',
    act: async (page) => {
      await page.getByRole('button', { name: 'join', exact: true }).click();
      await page.getByLabel('The table to join').selectOption('loan_export');
    },
  },
  { name: 'lineage', path: 'shape?sel=column:desk_use.uses&view=lineage' },
  { name: 'stars', path: 'stars?sel=relationship:loan_branch' },
  { name: 'matrix', path: 'stars?view=matrix&cell=hold~calendar' },
  { name: 'briefs', path: 'stars?view=briefs' },
  { name: 'claims', path: 'claims?sel=claim:reference-complete:loan_branch&by=table' },
  { name: 'hierarchies', path: 'hierarchies?sel=hierarchy:branch.Geography' },
  { name: 'measures', path: 'measures?sel=measure:Copies on shelf' },
  { name: 'perspectives', path: 'perspectives?sel=perspective:Collections' },
  {
    name: 'storage',
    path: 'storage?sel=column:loan_export.lent_at',
    act: async (page) => page.getByRole('button', { name: /^Fold: loan_export.lent_at.*split/ }).click(),
  },
  {
    name: 'trial',
    path: trial(loansByRegion),
    act: async (page) => page.locator('[role=cell] button').nth(5).click(),
  },
  { name: 'release', path: 'release?target=mart' },
  { name: 'proposals', path: 'intake?view=draft' },
  { name: 'texts', path: 'texts' },
  // The last: it waives what stands against a release of the demo.
  { name: 'reading-room', path: 'release', act: readingRoom },
];

/** Releases the demo, flaws and all, and opens it as its readers do. */
async function readingRoom(page: Page): Promise<void> {
  const call = async <T>(path: string, data?: object): Promise<T> => {
    const address = new URL(`/api${path}`, page.url()).href;
    const answer = await (data ? page.request.post(address, { data }) : page.request.get(address));
    if (!answer.ok()) throw new Error(await answer.text());
    return (await answer.json()) as T;
  };
  const judged = async (): Promise<ClaimsState> => {
    const found = await call<ClaimsState>('/models/1/claims');
    if (found.done) return found;
    await page.waitForTimeout(200);
    return judged();
  };
  const against = (await judged()).claims.filter((c) => c.verdict === 'broken' && c.weight === 'blocks');
  const { revision } = await call<ModelState>('/models/1');
  const edit = against.map((c) => ({ do: 'waive', value: { claim: c.id, reason: 'for a picture' } }));
  await call('/models/1/edits', { base: revision.id, edit, says: 'waive what stands against a release' });
  await judged();
  let job = await call<JobState>('/models/1/releases', { target: 'mart', author: 'Maren Holt' });
  while (job.state === 'running') job = await call(`/jobs/${job.id}`);
  await page.goto(new URL('/r/1/Branch%20managers', page.url()).href);
  await page.getByRole('button', { name: 'Kept trials' }).click();
  await page.getByRole('button', { name: 'Loans by region and year' }).click();
}

/** Waits until nothing on the page says that it is still being opened, counted or drawn. */
async function settled(page: Page): Promise<void> {
  await page.waitForTimeout(1500);
  const waiting = page.locator('p').filter({
    hasText: /^(Opening|Encoding|Comparing|Drawing|Counting|Reading|Listing|Working|Judging|Finding)\b.* …$/,
  });
  while ((await waiting.count()) > 0) await waiting.first().waitFor({ state: 'detached' });
  await page.waitForTimeout(500);
}

const port = 4700 + Math.floor(Math.random() * 200);
const program = resolve('cli/bin/crease.mjs');
spawnSync(process.execPath, [program, 'demo', scratch, '--sqlite'], { stdio: 'inherit' });
const server = spawn(
  process.execPath,
  [program, 'serve', '--workspace', 'shots.sqlite', '--port', String(port), '--demo'],
  {
    cwd: scratch,
    stdio: ['ignore', 'pipe', 'inherit'],
    env: { ...process.env, XDG_CONFIG_HOME: scratch },
  },
);
await new Promise<void>((ready, fail) => {
  server.stdout.on('data', (text: Buffer) => text.toString().includes('Crease is at') && ready());
  server.on('exit', () => fail(new Error('the server did not start')));
});
const browser = await chromium.launch(BROWSER);
try {
  for (const shot of shots.filter((s) => only.length === 0 || only.includes(s.name))) {
    const page = await browser.newPage({
      viewport: { width: 1280, height: 800 },
      colorScheme: 'light',
      locale: 'en-US',
      timezoneId: 'UTC',
      reducedMotion: 'reduce',
    });
    page.on(
      'console',
      (message) => message.type() === 'error' && process.stderr.write(`${shot.name}: ${message.text()}\n`),
    );
    page.on('pageerror', (error) => process.stderr.write(`${shot.name}: ${error.stack}\n`));
    await page.goto(`http://127.0.0.1:${port}/m/1/${shot.path}`);
    await settled(page);
    if (shot.act) {
      await shot.act(page);
      await settled(page);
    }
    await page.screenshot({ path: resolve(folder, `${shot.name}.png`) });
    await page.close();
  }
} finally {
  await browser.close();
  server.kill('SIGTERM');
  await new Promise((done) => server.on('exit', done));
  rmSync(scratch, { recursive: true, force: true });
}
