import { spawnSync } from 'node:child_process';
import { mkdtempSync, realpathSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { Models, openWorkspace, Plans, Settings } from '@crease/server/store';

const root = resolve(__dirname, '../..');
let folder: string;
let workspace: string;

const crease = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['cli/bin/crease.mjs', ...args], {
    cwd: root,
    encoding: 'utf8',
  });
  return { status, stdout, stderr };
};

beforeAll(() => {
  folder = realpathSync(mkdtempSync(join(tmpdir(), "crease's-plans-")));
  workspace = join(folder, 'w.sqlite');
  const db = openWorkspace(workspace);
  const id = new Models(db).create({ crease: 1, name: 'm', tables: [] }, 'made');
  new Settings(db).timeZone = 'Europe/Berlin';
  const plans = new Plans(db);
  const plan = { steps: [{ recipe: 'Loans' }], isPaused: false, retries: 1, pauseSeconds: 60 };
  plans.keep(id, { ...plan, name: "Ann's 5%", at: '0 5 * * 1-5' }, new Date());
  plans.keep(id, { ...plan, name: 'By hand' }, new Date());
  plans.keep(id, { ...plan, name: 'Resting', at: '0 6 * * *', isPaused: true }, new Date());
  db.close();
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

test('schedule: plans with their next five times', () => {
  const { status, stdout, stderr } = crease('schedule', '--workspace', workspace);
  expect([status, stderr]).toEqual([0, '']);
  const lines = stdout.trimEnd().split('\n');
  expect(lines[0]).toBe("Ann's 5%: 0 5 * * 1-5 (Europe/Berlin): Loans");
  expect(lines.filter((line) => /^ {2}\d{4}-\d\d-\d\dT0[34]:00:00\.000Z$/.test(line))).toHaveLength(5);
  expect(lines).toContain('By hand: by hand: Loans');
  expect(lines).toContain('Resting: 0 6 * * * (Europe/Berlin), paused: Loans');
  const json = JSON.parse(crease('schedule', '--workspace', workspace, '--json').stdout) as {
    plans: { name: string; next: string[] }[];
  };
  expect(json.plans.map((p) => [p.name, p.next.length])).toEqual([
    ["Ann's 5%", 5],
    ['By hand', 0],
    ['Resting', 0],
  ]);
});

test("schedule print: a line for the system's own scheduler, quoted as a shell and cron want it", () => {
  const { status, stdout } = crease('schedule', 'print', '--workspace', workspace);
  expect(status).toBe(0);
  const [zone, line, ...rest] = stdout.trimEnd().split('\n');
  expect([zone, rest]).toEqual(['CRON_TZ=Europe/Berlin', []]);
  const [, at, command] = /^((?:\S+ ){5})(.*)$/.exec(line!)!;
  expect(at).toBe('0 5 * * 1-5 ');
  // As cron hands it to the shell.
  const told = command!.replaceAll('\\%', '%').replace('crease load', 'printf "%s\\n"');
  const { stdout: words } = spawnSync('sh', ['-c', told], { encoding: 'utf8' });
  expect(words.trimEnd().split('\n')).toEqual(["Ann's 5%", '--model', '1', '--workspace', workspace]);
});

test('schedule: what is wrong is said in one line', () => {
  const missing = crease('schedule', '--workspace', join(folder, 'none.sqlite'));
  expect([missing.status, missing.stdout]).toEqual([2, '']);
  expect(missing.stderr).toMatch(/there is no workspace/);
  expect(crease('schedule', 'forever', '--workspace', workspace).stderr).toMatch(/is nothing to do/);
});
