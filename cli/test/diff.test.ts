import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const folder = mkdtempSync(join(tmpdir(), 'crease-diff-'));
afterAll(() => rmSync(folder, { recursive: true }));
const bin = join(import.meta.dirname, '../bin/crease.mjs');
const crease = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [bin, ...args], {
    cwd: folder,
    encoding: 'utf8',
  });
  return { status, stdout, stderr };
};

const model = (formula: string, more: object = {}) => ({
  crease: 1,
  name: 'm',
  tables: [{ name: 'loan', role: 'fact', columns: [{ name: 'fine', type: 'decimal(9,2)' }] }],
  measures: [{ name: 'Fines', formula }],
  ...more,
});
const file = (name: string, content: object) =>
  writeFileSync(join(folder, name), `${JSON.stringify(content)}\n`);

file('a.json', model('sum(loan.fine)'));
file('b.json', model('sum(loan.fine) * 2'));
file('c.json', model('sum(loan.fine)', { title: 'Loans' }));
file('d.json', model('sum(loan.fine) * 3'));

test('diff says what differs, as text and as JSON, and by its exit status', () => {
  expect(crease('diff', 'a.json', 'a.json')).toEqual({ status: 0, stdout: '', stderr: '' });
  const text = crease('diff', 'a.json', 'b.json');
  expect([text.status, text.stdout]).toEqual([
    1,
    '~ measure Fines\n    formula: sum(loan.fine) → sum(loan.fine) * 2\n',
  ]);
  const json = crease('diff', 'a.json', 'c.json', '--json');
  expect([json.status, JSON.parse(json.stdout)]).toEqual([
    1,
    [{ kind: 'model', name: 'm', change: 'changed', was: {}, now: { title: 'Loans' } }],
  ]);
  expect(crease('diff', 'a.json', 'none.json')).toEqual({
    status: 2,
    stdout: '',
    stderr: 'crease: there is no model file none.json\n',
  });
});

test('merge writes what both changed apart, and lists what they changed against each other', () => {
  const fine = crease('merge', 'a.json', 'b.json', 'c.json', '--out', 'm.json');
  expect([fine.status, fine.stdout]).toEqual([0, '[]\n']);
  const read = (name: string) =>
    JSON.parse(readFileSync(join(folder, name), 'utf8')) as ReturnType<typeof model>;
  expect(read('m.json')).toEqual({ ...model('sum(loan.fine) * 2'), title: 'Loans' });
  file('ours.json', model('sum(loan.fine) * 2'));
  const clash = crease('merge', 'a.json', 'ours.json', 'd.json');
  expect([clash.status, (JSON.parse(clash.stdout) as { name: string }[]).map((c) => c.name)]).toEqual([
    1,
    ['Fines'],
  ]);
  // Without --out it takes the place of OURS, as version control wants it.
  expect(read('ours.json').measures[0]!.formula).toBe('sum(loan.fine) * 2');
  expect(crease('merge', 'a.json', 'b.json', 'c.json', '--out', 'no/such/place.json').status).toBe(2);
});
