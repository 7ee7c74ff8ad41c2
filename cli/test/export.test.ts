import { spawnSync } from 'node:child_process';
import { copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { Package } from 'datapackage';
import { XMLParser } from 'fast-xml-parser';
import { Parser } from 'n3';

const folder = mkdtempSync(join(tmpdir(), 'crease-export-'));
afterAll(() => rmSync(folder, { recursive: true }));
const bin = join(import.meta.dirname, '../bin/crease.mjs');
const crease = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [bin, ...args], {
    cwd: folder,
    encoding: 'utf8',
  });
  return { status, stdout, stderr };
};
const text = (name: string) => readFileSync(join(folder, name), 'utf8');

writeFileSync(
  join(folder, 'm.json'),
  JSON.stringify({
    crease: 1,
    name: 'm',
    tables: [
      {
        name: 'loan',
        title: 'A "quoted" title \\ with a slash',
        role: 'fact',
        source: { file: 'loan.csv' },
        key: ['no'],
        columns: [
          { name: 'no', type: 'integer' },
          { name: 'fine', type: 'decimal(9,2)', use: 'quantity' },
        ],
      },
    ],
  }),
);
writeFileSync(join(folder, 'loan.csv'), 'no,fine\n1,1.00\n1,2.00\n');

test('each format is written, and read by a program of that format', () => {
  for (const format of ['ddl', 'data-package', 'csvw', 'openlineage', 'rdf', 'json-schema'])
    expect(crease('export', 'm.json', '--as', format, '--out', 'out').status).toBe(0);
  const quads = new Parser().parse(text('out/m.ttl'));
  expect(quads.filter((q) => q.predicate.value.endsWith('#label')).map((q) => q.object.value)).toContain(
    'A "quoted" title \\ with a slash',
  );
  for (const dialect of ['sqlite', 'sql']) {
    const db = new Database(':memory:');
    db.exec(text(`out/m.${dialect}.sql`));
    expect(db.prepare('select count(*) from loan').pluck().get()).toBe(0);
    db.close();
  }
  expect(JSON.parse(text('out/loan.schema.json'))).toMatchObject({ required: ['no', 'fine'] });
  expect(
    text('out/openlineage.ndjson')
      .trim()
      .split('\n')
      .map((line) => (JSON.parse(line) as { eventType: string }).eventType),
  ).toEqual(['COMPLETE']);
  for (const [file, format] of [
    ['datapackage.json', 'data-package'],
    ['csv-metadata.json', 'csvw'],
  ] as const) {
    expect(crease('import', join('out', file), '--as', format, '--out', 'again.json').status).toBe(0);
    const check = crease('check', 'again.json');
    expect([check.status, check.stdout]).toEqual([1, expect.stringContaining('key-unique:loan')]);
  }
});

test('a data package is read, rows and types, by a program of that standard', async () => {
  expect(crease('export', 'm.json', '--as', 'data-package', '--out', 'package').status).toBe(0);
  copyFileSync(join(folder, 'loan.csv'), join(folder, 'package/loan.csv'));
  const descriptor = JSON.parse(text('package/datapackage.json')) as object;
  const found = await Package.load(descriptor, { basePath: join(folder, 'package'), strict: true });
  expect([found.valid, found.errors]).toEqual([true, []]);
  const loan = found.getResource('loan')!;
  expect(loan.schema.fields.map((f) => [f.name, f.type])).toEqual([
    ['no', 'integer'],
    ['fine', 'number'],
  ]);
  // The key stands twice in the rows: so says the other program, too.
  await expect(loan.read()).rejects.toThrow();
  writeFileSync(join(folder, 'package/loan.csv'), 'no,fine\n1,1.00\n2,2.50\n');
  expect((await loan.read({ keyed: true })).map((row) => [row['no'], Number(row['fine'])])).toEqual([
    [1, 1],
    [2, 2.5],
  ]);
});

test('CSV on the Web is read, rows and types, by a program of that standard', () => {
  expect(crease('export', 'm.json', '--as', 'csvw', '--out', 'web').status).toBe(0);
  writeFileSync(join(folder, 'web/loan.csv'), 'no,fine\n1,1.00\n2,2.50\n');
  const reader = join(import.meta.dirname, 'readers/csvOnTheWeb.mjs');
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    [reader, join(folder, 'web/csv-metadata.json'), join(folder, 'web/loan.csv')],
    { encoding: 'utf8' },
  );
  expect([status, stderr]).toEqual([0, '']);
  expect(stdout.trim().split('\n')).toEqual([
    'no 1 integer',
    'fine 1.00 decimal',
    'no 2 integer',
    'fine 2.50 decimal',
  ]);
});

test('a catalogue is one page; with rows it says what does not hold', () => {
  expect(crease('catalogue', 'm.json', '--out', 'm.html').status).toBe(0);
  expect(text('m.html')).not.toContain('key-unique');
  expect(crease('catalogue', 'm.json', '--data', '.', '--out', 'm.html').status).toBe(0);
  expect(text('m.html')).toContain('key-unique:loan');
  expect(text('m.html')).not.toContain('first rows');
  expect(crease('catalogue', 'm.json', '--data', '.', '--samples', '1', '--out', 'm.md').status).toBe(0);
  expect(text('m.md')).toContain('| no | fine |\n| --- | --- |\n| 1 | 1.00 |\n');
  expect(text('m.md')).not.toContain('2.00');
  for (const samples of ['0', 'x', '101'])
    expect(crease('catalogue', 'm.json', '--data', '.', '--samples', samples, '--out', 'm.md').status).toBe(
      2,
    );
  expect(crease('catalogue', 'm.json', '--samples', '1', '--out', 'm.md').status).toBe(2);
  expect(crease('catalogue', 'm.json', '--out', 'no/such/m.html').status).toBe(2);
});

test('what cannot be read or written is said, and --junit is a report with the exit status of check', () => {
  expect(crease('import', 'loan.csv', '--as', 'csvw')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('is no JSON'),
  });
  expect(crease('export', 'm.json', '--as', 'rdf', '--out', 'loan.csv/x').status).toBe(2);
  expect(crease('export', 'm.json', '--as', 'poem', '--out', 'out').status).toBe(2);
  const junit = crease('check', 'm.json', '--junit');
  expect(junit.status).toBe(1);
  const report = new XMLParser({ ignoreAttributes: false, isArray: (name) => name === 'testcase' }).parse(
    junit.stdout,
  ) as { testsuites: { testsuite: unknown } };
  const suites = [report.testsuites.testsuite].flat() as {
    '@_tests': string;
    '@_failures': string;
    testcase: { '@_name': string; failure?: { '@_message': string } }[];
  }[];
  const cases = suites.flatMap((suite) => suite.testcase);
  expect(suites.reduce((n, suite) => n + Number(suite['@_tests']), 0)).toBe(cases.length);
  const failed = cases.filter((c) => c.failure !== undefined);
  expect(suites.reduce((n, suite) => n + Number(suite['@_failures']), 0)).toBe(failed.length);
  expect(failed.map((c) => c['@_name'])).toContain('no two rows of loan have the same no');
});
