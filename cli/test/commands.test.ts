import { parquetReadObjects } from 'hyparquet';
import { parquetWriteBuffer } from 'hyparquet-writer';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, realpathSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs'; // oxfmt-ignore
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { readModel } from '@crease/core/model';
import { profileDocumentSchema } from '@crease/core/storage';

const root = resolve(__dirname, '../..');
let folder: string;
let model: string;

/** Runs the program as it is built, as a pipeline would. */
function crease(...args: string[]) {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['cli/bin/crease.mjs', ...args], {
    cwd: root,
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  return { status, stdout, stderr };
}

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'crease-cli-'));
  expect(crease('demo', folder, '--loans', '3000')).toMatchObject({ status: 0, stderr: '' });
  model = join(folder, 'lantern-valley.crease.json');
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const inFolder = (name: string, text: string): string => {
  writeFileSync(join(folder, name), text);
  return join(folder, name);
};

test('check: every claim with its evidence, and exit status 1 while something is broken', () => {
  const { status, stdout, stderr } = crease('check', model, '--json');
  expect([status, stderr]).toEqual([1, '']);
  const answer = JSON.parse(stdout) as {
    model: string;
    claims: { id: string; verdict: string; weight: string; remedies: string[] }[];
    summary: Record<string, number>;
    elapsedMs: number;
  };
  expect(answer.model).toBe('lantern-valley');
  expect(answer.claims.find((c) => c.id === 'key-unique:card')).toMatchObject({
    verdict: 'broken',
    weight: 'blocks',
    remedies: expect.arrayContaining(['waive']) as string[],
  });
  expect(Object.values(answer.summary).reduce((a, b) => a + b)).toBe(answer.claims.length);
  expect(crease('check', model).stdout).toMatch(/broken +key-unique:card \(2 of \d+\)/);
});

test('both engines give one answer, and sql prints what the second one runs', () => {
  const query = inFolder(
    'both.json',
    JSON.stringify({
      by: ['district.region', 'calendar.year'],
      measures: ['Loans', 'Fines', 'Share of late loans', 'Loans a year before', 'Visitors'],
      filters: [{ where: "card.category <> 'staff' or card.category is null" }],
      totals: true,
    }),
  );
  const [columns, sql] = ['columns', 'sql'].map((engine) =>
    crease('query', model, '--query', query, '--engine', engine, '--json'),
  );
  expect([columns!.status, columns!.stderr, sql!.stderr]).toEqual([0, '', '']);
  expect(JSON.parse(sql!.stdout)).toEqual(JSON.parse(columns!.stdout));
  expect((JSON.parse(columns!.stdout) as { rows: unknown[] }).rows.length).toBeGreaterThan(5);
  for (const dialect of ['sqlite', 'postgresql']) {
    const { status, stdout } = crease('sql', model, '--query', query, '--dialect', dialect);
    expect(status).toBe(0);
    expect(stdout).toContain('from "loan_export" b');
    expect(stdout).toContain('-- totals');
    expect(stdout.replace(/^-- .*$/gm, '')).not.toContain("'staff'");
  }
  expect(crease('sql', model, '--query', query, '--dialect', 'other')).toMatchObject({
    status: 2,
    stdout: '',
  });
});

test('check: exit status 0 where all holds', () => {
  inFolder('one.csv', 'id,n\n1,2\n2,3\n');
  const sound = inFolder(
    'sound.crease.json',
    JSON.stringify({
      crease: 1,
      name: 'sound',
      tables: [
        {
          name: 'one',
          role: 'fact',
          key: ['id'],
          source: { file: 'one.csv' },
          columns: [
            { name: 'id', type: 'integer' },
            { name: 'n', type: 'integer' },
          ],
        },
      ],
    }),
  );
  expect(crease('check', sound)).toMatchObject({ status: 0 });
});

test('a derived table runs its steps over other tables, and one derived from itself is refused by name', () => {
  inFolder('desk.csv', 'branch,kind,copies\nFord,loan,2\nFord,loan,3\nWeir,loan,1\nWeir,return,9\n');
  const columns = [
    { name: 'branch', type: 'text' },
    { name: 'copies', type: 'integer' },
  ];
  const derived = (from: string) => [
    { from },
    { filter: "kind = 'loan'" },
    { aggregate: { by: ['branch'], columns: { copies: 'sum(copies)' } } },
  ];
  const document = (from: string) => ({
    crease: 1,
    name: 'derived',
    tables: [
      {
        name: 'desk',
        role: 'staging',
        source: { file: 'desk.csv' },
        columns: [...columns, { name: 'kind', type: 'text' }],
      },
      { name: 'lent', role: 'fact', source: { steps: derived(from) }, columns },
    ],
    measures: [{ name: 'Copies', formula: 'sum(lent.copies)' }],
  });
  const query = inFolder('derived.query.json', JSON.stringify({ by: ['lent.branch'], measures: ['Copies'] }));
  const sound = crease(
    'query',
    inFolder('derived.crease.json', JSON.stringify(document('desk'))),
    '--query',
    query,
    '--json',
  );
  expect(sound).toMatchObject({ status: 0, stderr: '' });
  expect((JSON.parse(sound.stdout) as { rows: unknown[] }).rows).toEqual([
    ['Ford', 5],
    ['Weir', 1],
  ]);
  const circle = crease(
    'query',
    inFolder('circle.crease.json', JSON.stringify(document('lent'))),
    '--query',
    query,
  );
  expect(circle.status).not.toBe(0);
  expect(circle.stderr).toContain('derived from each other in a circle: lent → lent');
});

test('query: as a table, as JSON, as CSV, and from standard input', () => {
  const query = inFolder(
    'q.json',
    JSON.stringify({ by: ['district.region'], measures: ['Loans', 'Visitors'], totals: true }),
  );
  const { stdout, status } = crease('query', model, '--query', query, '--json');
  expect(status).toBe(0);
  const answer = JSON.parse(stdout) as { columns: object[]; rows: unknown[][]; totals: number[] };
  expect(answer.columns).toEqual([
    { name: 'district.region', type: 'text', kind: 'by' },
    { name: 'Loans', type: 'integer', kind: 'measure' },
    { name: 'Visitors', type: 'integer', kind: 'measure' },
  ]);
  expect(answer.rows.reduce((sum, row) => sum + Number(row[1]), 0)).toBe(answer.totals[0]);
  expect(crease('query', model, '--query', query, '--csv').stdout.split('\n')[0]).toBe(
    'district.region,Loans,Visitors',
  );
  expect(crease('query', model, '--query', query).stdout).toMatch(/^total +3000/m);
});

test('query --explain tells of passes over rows, as lines and as JSON', () => {
  const query = inFolder('e.json', JSON.stringify({ by: ['district.region'], measures: ['Loans', 'Fines'] }));
  const { stdout, status } = crease('query', model, '--query', query, '--explain', '--json');
  expect(status).toBe(0);
  const { stages } = JSON.parse(stdout) as { stages: { table: string; rows: number; left: number }[] };
  expect(stages).toMatchObject([{ table: 'loan_export', rows: 3000, left: 3000, by: ['district.region'] }]);
  expect(crease('query', model, '--query', query, '--explain').stdout).toContain('loan_export: 3,000 rows');
  expect(crease('query', model, '--query', query, '--explain', '--engine', 'sql')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('crease sql') as string,
  });
});

test('profile: bytes that add up', () => {
  const profile = JSON.parse(crease('profile', model, '--json').stdout) as {
    tables: { totalBytes: number; share: number }[];
    totalBytes: number;
  };
  expect(profile.tables.reduce((sum, t) => sum + t.totalBytes, 0)).toBe(profile.totalBytes);
  expect(profile.tables.reduce((sum, t) => sum + t.share, 0)).toBeCloseTo(1);
});

test('propose: a model file, with the evidence on standard error', () => {
  const out = join(folder, 'drafted.json');
  const { status, stderr } = crease('propose', folder, '--out', out);
  expect(status).toBe(0);
  expect(stderr).toMatch(
    /relationship +copy\.title_id refers to title\.title_id: 100 % of [\d,]+ filled rows find a partner/,
  );
  expect(readModel(readFileSync(out, 'utf8')).relationships!.length).toBeGreaterThan(10);
});

test('format: says what would change, changes it, and then is content', () => {
  const text = readFileSync(model, 'utf8').replace(
    'count(distinct loan_export.card_no)',
    'COUNT( distinct loan_export.card_no )',
  );
  const untidy = inFolder('untidy.crease.json', text);
  expect(crease('format', untidy)).toMatchObject({ status: 1, stdout: 'would change: Borrowers\n' });
  expect(crease('format', untidy, '--write')).toMatchObject({ status: 0 });
  expect(crease('format', untidy)).toMatchObject({ status: 0, stdout: '' });
  expect(readFileSync(untidy, 'utf8')).toBe(readFileSync(model, 'utf8'));
});

test('propose: an empty file is told and left out, and a Parquet file is read', () => {
  const mixed = mkdtempSync(join(folder, 'mixed-'));
  writeFileSync(join(mixed, 'nothing.csv'), '');
  writeFileSync(join(mixed, 'branch.csv'), 'id,name\n1,North\n2,South\n3,East\n');
  const loans = Array.from({ length: 60 }, (_, i) => i);
  const columnData = [
    { name: 'id', data: loans.map((i) => BigInt(100 + i)), type: 'INT64' as const },
    { name: 'branch_id', data: loans.map((i) => BigInt(1 + (i % 3))), type: 'INT64' as const },
  ];
  writeFileSync(join(mixed, 'loan.parquet'), new Uint8Array(parquetWriteBuffer({ columnData })));
  const { status, stdout, stderr } = crease('propose', mixed);
  expect(stderr).toMatch(/left out +nothing\.csv: the file is empty/);
  expect(status).toBe(0);
  const { tables, relationships } = readModel(stdout);
  expect(tables.map((t) => t.name)).toEqual(['branch', 'loan']);
  expect(relationships).toHaveLength(1);
  const drafted = join(mixed, 'drafted.crease.json');
  writeFileSync(drafted, stdout);
  expect(crease('check', drafted).status).toBe(0);
});

test('ddl is refused while a claim stands against it, with the claims named', () => {
  const faulty = readFileSync(model, 'utf8').replace(
    'count(distinct loan_export.card_no)',
    'count(distinct loan_export.no_such)',
  );
  const broken = inFolder('broken.crease.json', faulty);
  const refused = crease('ddl', broken);
  expect(refused).toMatchObject({ status: 1, stdout: '' });
  expect(refused.stderr).toMatch(/claims that block a release are broken.*formula-valid:Borrowers/);
  expect(crease('ddl', broken, '--unchecked').stdout).toContain('create table');
  // The demonstration data has flaws that only its rows show.
  const { status, stderr } = crease('ddl', model, '--data', folder);
  expect(status).toBe(1);
  expect(stderr).toMatch(/claims? that blocks? a release/);
});

test('ddl and schema are printed', () => {
  expect(crease('ddl', model, '--unchecked').stdout).toContain('create table "loan_export" (');
  expect(crease('ddl', model, '--unchecked', '--dialect', 'sqlite').stdout).toContain(
    'constraint "loan_branch" foreign key',
  );
  expect(JSON.parse(crease('schema').stdout)).toMatchObject({ title: 'Crease model file' });
});

test.each<[string, () => string[], RegExp]>([
  ['a model that is not there', () => ['check', join(folder, 'no.json')], /there is no model file/],
  ['broken JSON', () => ['check', inFolder('bad.json', '{ "crease": 1,\n oops }')], /not JSON, line 2/],
  ['a newer model', () => ['check', inFolder('new.json', '{ "crease": 2 }')], /format version 2/],
  [
    'an unknown field',
    () => ['ddl', inFolder('field.json', '{ "crease": 1, "name": "x", "tabels": [] }')],
    /unknown field "tabels", did you mean "tables"/,
  ],
  [
    'a file that is not there',
    () => [
      'check',
      inFolder(
        'nofile.json',
        '{ "crease": 1, "name": "x", "tables": [{ "name": "t", "role": "fact", "source": { "file": "gone.csv" }, "columns": [{ "name": "a", "type": "text" }] }] }',
      ),
    ],
    /there is no file gone.csv/,
  ],
  [
    'a file outside of the folder',
    () => [
      'check',
      inFolder(
        'out.json',
        '{ "crease": 1, "name": "x", "tables": [{ "name": "t", "role": "fact", "source": { "file": "../../etc/passwd" }, "columns": [{ "name": "a", "type": "text" }] }] }',
      ),
    ],
    /outside of the data folder/,
  ],
  ['an unknown dialect', () => ['ddl', model, '--dialect', 'oracle'], /there is no dialect "oracle"/],
  [
    'a folder without tables',
    () => ['propose', mkdtempSync(join(folder, 'empty-'))],
    /holds no files of tables|cannot be read/,
  ],
  ['an unknown command', () => ['chek', model], /unknown command 'chek'/],
  [
    'a measure that is not there',
    () => ['query', model, '--query', inFolder('m.json', '{ "measures": ["Laons"] }'), '--json'],
    /did you mean "Loans"/,
  ],
])('%s: exit status 2, one message, nothing on standard output', (_name, args, message) => {
  const { status, stdout, stderr } = crease(...args());
  expect([status, stdout]).toEqual([2, '']);
  expect(stderr).toMatch(message);
  expect(stderr).not.toMatch(/\n\s+at /);
});

test('a server killed in the middle of an intake leaves the workspace as it was', () => {
  const script = `
    const { spawn } = require('node:child_process');
    const Database = require('better-sqlite3');
    (async () => {
      const workspace = ${JSON.stringify(join(folder, 'killed.sqlite'))};
      const start = () => new Promise((ready) => {
        const child = spawn(process.execPath, ['cli/bin/crease.mjs', 'serve', '--workspace', workspace, '--port', '0'], { stdio: ['ignore', 'pipe', 'inherit'] });
        child.stdout.on('data', (text) => { const address = /http\\S+/.exec(String(text)); if (address) ready({ child, address: address[0] }); });
      });
      const { child, address } = await start();
      const call = async (path, body, type = 'application/json') => (await fetch(address + '/api' + path, { method: 'POST', headers: { 'content-type': type }, body: type === 'application/json' ? JSON.stringify(body) : body })).json();
      const { id } = await call('/models', { title: 'Killed' });
      const line = Array.from({ length: 30 }, (_, i) => 'value' + i).join(',');
      const rows = Array.from({ length: 60000 }, (_, i) => i + ',' + line + i).join('\\n');
      const upload = await call('/uploads?name=big.csv', 'id,' + Array.from({ length: 30 }, (_, i) => 'c' + i).join(',') + '\\n' + rows + '\\n', 'application/octet-stream');
      const columns = ['id', ...Array.from({ length: 30 }, (_, i) => 'c' + i)].map((name) => ({ name, fileName: name, type: 'text' }));
      await call('/models/' + id + '/intake', { tables: [{ upload: upload.id, name: 'big', dialect: { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\\n' }, columns }] });
      // Killed as soon as the first columns are being written.
      const look = new Database(workspace, { readonly: true });
      while (look.prepare("select count(*) as n from stored_table where state = 'loading'").get().n === 0) await new Promise((resume) => setTimeout(resume, 1));
      look.close();
      child.kill('SIGKILL');
      await new Promise((gone) => child.on('exit', gone));
      const again = await start();
      const state = await (await fetch(again.address + '/api/models/' + id)).json();
      const left = new Database(workspace).prepare("select count(*) as n from stored_table where state = 'loading'").get().n;
      process.stdout.write(JSON.stringify({ tables: state.model.tables.length, stored: state.stored.length, left }));
      again.child.kill('SIGTERM');
    })();
  `;
  const { stdout, stderr } = spawnSync(process.execPath, ['-e', script], {
    cwd: root,
    encoding: 'utf8',
    timeout: 60_000,
  });
  expect(stderr).toBe('');
  expect(JSON.parse(stdout)).toEqual({ tables: 0, stored: 0, left: 0 });
});

test('import: a model of CREATE TABLE statements, without rows, that makes the same tables again', () => {
  const sql = inFolder(
    'design.sql',
    `create table branch (branch_code varchar(8) primary key, name text);
     create table loan (loan_no bigint generated always as identity primary key, branch_code varchar(8) references branch);
     create table broken (x int,, y);`,
  );
  const out = join(folder, 'design.json');
  const { status, stderr } = crease('import', sql, '--as', 'ddl', '--out', out);
  expect([status, stderr]).toEqual([0, expect.stringMatching(/^line 3: not read: /)]);
  const read = readModel(readFileSync(out, 'utf8'));
  expect(read.tables.map((t) => [t.name, t.role])).toEqual([
    ['branch', 'dimension'],
    ['loan', 'fact'],
  ]);
  expect(crease('ddl', out).stdout).toContain('"loan_no" bigint generated by default as identity not null');
  // Of a design the claims about the model are judged; those about rows say that there are none yet.
  const checked = crease('check', out);
  expect(checked.status).toBe(0);
  expect(checked.stdout).toContain('no rows yet: nothing has been imported into loan');
  expect(crease('import', inFolder('none.sql', 'select 1')).status).toBe(2);
  expect(crease('import', join(folder, 'nowhere.sql')).stderr).toContain('cannot be read');
});

test('a question laid out across has one answer on both engines, with its subtotals', () => {
  const query = inFolder(
    'across.json',
    JSON.stringify({
      by: ['district.region', { name: 'long', formula: 'days_out > 20', of: 'loan_export' }],
      across: ['calendar.year'],
      measures: [
        'Loans',
        { name: 'Half', formula: '"Fines" / 2' },
        { column: 'loan_export.fine', aggregate: 'max' },
      ],
      filters: [{ having: '"Loans" > 3' }],
      subtotals: true,
      limit: 3,
    }),
  );
  const [columns, sql] = ['columns', 'sql'].map((engine) =>
    crease('query', model, '--query', query, '--engine', engine, '--json'),
  );
  expect([columns!.status, columns!.stderr, sql!.stderr]).toEqual([0, '', '']);
  expect(JSON.parse(sql!.stdout)).toEqual(JSON.parse(columns!.stdout));
  const printed = crease('sql', model, '--query', query, '--dialect', 'postgresql');
  expect(printed.stdout.match(/^-- subtotals of /gm)).toHaveLength(4);
  const top = inFolder(
    'top.json',
    '{"by":["branch.town"],"measures":["Loans"],"filters":[{"top":1,"of":"Loans","others":true}]}',
  );
  const [inColumns, inSql] = ['columns', 'sql'].map((engine) =>
    crease('query', model, '--query', top, '--engine', engine, '--json'),
  );
  expect(JSON.parse(inSql!.stdout)).toEqual(JSON.parse(inColumns!.stdout));
  expect(inSql!.stdout).toContain('"others"');
  const { subtotals } = JSON.parse(columns!.stdout) as { subtotals: { by: number; across: number }[] };
  expect(subtotals.map((t) => [t.by, t.across])).toEqual([
    [0, 1],
    [1, 0],
    [1, 1],
    [2, 0],
  ]);
});

test('rows: those behind a cell, as JSON, delimited text and Parquet, and they add up to it', async () => {
  const query = inFolder(
    'rows.json',
    JSON.stringify({ by: ['branch.town'], measures: ['Fine per late loan'] }),
  );
  const rows = (...more: string[]) => crease('rows', model, '--query', query, ...more);
  const cell = ['--cell', JSON.stringify({ by: [], measure: 'Fine per late loan' })];
  const all = JSON.parse(rows(...cell, '--limit', '100000', '--json').stdout) as {
    aggregates: { text: string; rows: unknown[]; lines: number[]; sum: string; of: string; more: number }[];
  };
  expect(all.aggregates.map((a) => a.text)).toEqual([
    'sum(loan_export.fine) filter (where not loan_export.fine_waived)',
    'count(loan_export)',
  ]);
  for (const { sum, of, more } of all.aggregates) expect([sum, more]).toEqual([of, 0]);
  const [, late] = all.aggregates;
  expect(late!.rows).toHaveLength(Number(late!.of));
  // The line in the file is that of the row.
  const lines = readFileSync(join(folder, 'loan_export.csv'), 'utf8').split('\n');
  expect(lines[late!.lines[0]! - 1]!.split(',')[0]).toBe((late!.rows as string[][])[0]![0]);

  const several = rows(...cell, '--csv');
  expect([several.status, several.stderr]).toEqual([
    2,
    expect.stringContaining('choose one with --aggregate'),
  ]);
  const csv = rows(
    ...cell,
    '--csv',
    '--aggregate',
    '2',
    '--columns',
    'loan_export.barcode,branch.town',
    '--limit',
    '2',
  );
  expect(csv.stdout.split('\n')[0]).toBe('loan_export.barcode,branch.town');
  expect(csv.stderr).toContain('more rows are not listed');
  const file = join(folder, 'rows.parquet');
  expect(rows(...cell, '--aggregate', '1', '--limit', '50', '--parquet', file).status).toBe(0);
  const read = await parquetReadObjects({ file: new Uint8Array(readFileSync(file)).buffer });
  expect(read).toHaveLength(50);
  expect(read[0]!['loan_export.loan_date']).toBeInstanceOf(Date);
  expect(rows('--cell', '{"by":["Nowhere"],"measure":"Loans"}')).toMatchObject({ status: 2, stdout: '' });
});

test('check --both asks kept trials and known answers of both evaluators', () => {
  const kept = readModel(readFileSync(model, 'utf8'));
  const query = {
    by: ['branch.town'],
    across: ['calendar.year'],
    measures: ['Loans', 'Fines'],
    totals: true,
  };
  const top = { by: ['branch.town'], measures: ['Loans'], filters: [{ top: 2, of: 'Loans', others: true }] };
  const file = inFolder(
    'both.crease.json',
    JSON.stringify({
      ...kept,
      trials: [
        { name: 'Towns', query },
        { name: 'Busy', query: top },
        { name: 'Apart', query: { ...top, unmatched: 'apart' } },
      ],
      knownAnswers: [
        { name: 'Towns', trial: 'Towns', rows: [] },
        { name: 'All', query: { measures: ['Loans'] }, rows: [[3000]] },
        { name: 'None', trial: 'Nowhere', rows: [] },
      ],
    }),
  );
  const { stdout, stderr } = crease('check', file, '--both', '--json');
  const found = JSON.parse(stdout) as {
    both: { kind: string; name: string; agrees: boolean | null }[];
    claims: { id: string; verdict: string; evidence: { notes?: string[] } }[];
  };
  expect(found.both.map((b) => [b.kind, b.name, b.agrees])).toEqual([
    ['trial', 'Towns', true],
    ['trial', 'Busy', true],
    ['trial', 'Apart', null],
    ['known answer', 'All', true],
  ]);
  expect(stderr).toContain('the trial "Apart" could not be compared');
  // A known answer of a trial is held against it; one of a trial that is not there says so.
  const verdict = (id: string) => found.claims.find((c) => c.id === id)!;
  expect(verdict('known-answer:Towns').verdict).toBe('broken');
  expect(verdict('known-answer:All').verdict).toBe('holds');
  expect(verdict('known-answer:None').evidence.notes).toEqual(['the model has no trial "Nowhere"']);
});

test('large files of a folder are cached: looked up, listed, cleared, passed over, and apart for another build', async () => {
  const large = mkdtempSync(join(tmpdir(), 'crease-large-'));
  const home = join(large, 'home');
  const run = (...args: string[]) =>
    spawnSync(process.execPath, ['cli/bin/crease.mjs', ...args], {
      cwd: root,
      encoding: 'utf8',
      env: { ...process.env, XDG_CACHE_HOME: home },
    });
  try {
    crease('demo', large, '--loans', '20000');
    // A file that was changed just now is not believed.
    await new Promise((done) => setTimeout(done, 2_100));
    const query = inFolder(
      'c.json',
      JSON.stringify({ by: ['district.region'], measures: ['Loans', 'Fines'] }),
    );
    const ask = (...more: string[]) => {
      const { status, stdout, stderr } = run(
        'query',
        join(large, 'lantern-valley.crease.json'),
        '--query',
        query,
        ...more,
      );
      expect([status, stderr]).toEqual([0, '']);
      return stdout;
    };
    const cached = () => JSON.parse(run('cache', '--json').stdout) as { file: string; bytes: number }[];
    const answer = ask('--no-cache');
    expect(cached()).toEqual([]);
    expect(ask()).toBe(answer);
    expect(cached()).toMatchObject([{ file: join(realpathSync(large), 'loan_export.csv') }]);
    expect(ask()).toBe(answer);
    // Every build writes the program anew.
    const built = readdirSync(join(root, 'cli/dist')).filter((name) => name.endsWith('.js'));
    const times = built.map((name) => statSync(join(root, 'cli/dist', name)));
    const later = new Date(Date.now() + 5_000);
    for (const name of built) utimesSync(join(root, 'cli/dist', name), later, later);
    expect(ask()).toBe(answer);
    built.forEach((name, i) => utimesSync(join(root, 'cli/dist', name), times[i]!.atime, times[i]!.mtime));
    expect(cached()).toHaveLength(2);
    expect(run('cache').stdout).toMatch(/loan_export\.csv\n[\s\S]*bytes in all/);
    expect(run('cache', 'clear').stdout).toMatch(/^2 files removed/);
    expect(cached()).toEqual([]);
  } finally {
    rmSync(large, { recursive: true, force: true });
  }
});

test('profile --html: a page to hand on; --json of it is of the published schema', () => {
  const page = join(folder, 'profile.html');
  expect(crease('profile', model, '--html', page)).toMatchObject({ status: 0, stdout: '', stderr: '' });
  const html = readFileSync(page, 'utf8');
  expect(html).toContain('<title>Lantern Valley libraries: what a row weighs</title>');
  expect(html).toContain('lent_at');
  expect(html).not.toMatch(/<script|https?:\/\//);
  const json = JSON.parse(crease('profile', model, '--json').stdout) as object;
  expect(profileDocumentSchema.safeParse(json)).toMatchObject({ success: true });
  const nowhere = crease('profile', model, '--html', join(folder, 'no', 'such', 'folder.html'));
  expect(nowhere.status).toBe(2);
  expect(nowhere.stderr).toMatch(/folder\.html/);
  expect(nowhere.stderr).not.toMatch(/\n\s+at /);
});
