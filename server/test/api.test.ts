import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { parquetWriteBuffer } from 'hyparquet-writer';
import type { ClaimsState, JobState, ModelState, PreviewState } from '@crease/contract';
import { ERRORS } from '../src/index.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());
const api = () => fixture.api();
const newModel = () => fixture.newModel();

const LOANS = 'id,branch,fine,day\n1,A,0.50,2026-01-01\n2,B,,2026-01-02\n3,Z,1.25,2026-01-02\nbad line\n';
const BRANCHES = 'code,name\nA,Ash\nB,Elm\n';

const upload = (name: string, text: string | Buffer) => fixture.upload(name, text);

async function loadTable(model: number, name: string, text: string | Buffer): Promise<JobState> {
  return fixture.load(model, [await fixture.orderOf(await upload(`${name}.csv`, text), name)]);
}

const settled = async (job: string): Promise<JobState> =>
  fixture.settled((await api().get(`/api/jobs/${job}`).expect(200)).body as JobState);

async function judged(model: number): Promise<ClaimsState> {
  for (;;) {
    const { body } = await api().get(`/api/models/${model}/claims`).expect(200);
    if ((body as ClaimsState).done) return body as ClaimsState;
    await new Promise((resume) => setTimeout(resume, 30));
  }
}

const state = (model: number) => fixture.stateOf(model);

test('from files to a released definition: intake, proposal, claims, a remedy, a waiver', async () => {
  const id = await newModel();
  const job = await loadTable(id, 'loan', LOANS);
  expect(job).toMatchObject({ state: 'done', detail: '3 rows stored, 1 listed as left out' });
  await loadTable(id, 'branch', BRANCHES);
  const before = await state(id);
  expect(before.stored.map((s) => [s.name, s.rows, s.problems.length])).toEqual([
    ['loan', 3, 1],
    ['branch', 2, 0],
  ]);

  const { body: drafted } = await api().get(`/api/models/${id}/proposals`).expect(200);
  const edit = (drafted as { proposals: { edit: object[] }[] }).proposals.flatMap((p) => p.edit);
  await api()
    .post(`/api/models/${id}/edits`)
    .send({ base: before.revision.id, edit, says: 'accept the draft' })
    .expect(200);

  const first = await judged(id);
  const orphan = first.claims.find((c) => c.id === 'reference-complete:loan_branch')!;
  expect(orphan).toMatchObject({
    verdict: 'broken',
    evidence: { against: 1, sample: [{ values: { branch: 'Z' }, rows: 1, lines: [4] }] },
  });
  expect(first.summary.unchecked).toBe(0);

  const refused = await api().get(`/api/models/${id}/release/ddl?dialect=sqlite`).expect(409);
  expect(refused.body).toMatchObject({
    code: 'blocked',
    message: expect.stringContaining('reference-complete:loan_branch') as string,
  });

  const now = await state(id);
  await api()
    .post(`/api/models/${id}/edits`)
    .send({
      base: now.revision.id,
      edit: [
        { do: 'waive', value: { claim: orphan.id, reason: 'a closed branch' } },
        {
          do: 'waive',
          value: { claim: { kind: 'file-read', table: 'loan' }, reason: 'a broken line, known' },
        },
      ],
      says: 'waive it',
    })
    .expect(200);
  expect((await judged(id)).summary).toMatchObject({ waived: 2 });
  const ddl = await api().get(`/api/models/${id}/release/ddl?dialect=sqlite`).expect(200);
  expect(ddl.text).toContain('create table "loan"');

  const { body: answer } = await api()
    .post(`/api/models/${id}/query`)
    .send({ query: { by: ['branch.name'], measures: ['Total fine'], totals: true } })
    .expect(200);
  expect(answer).toMatchObject({
    rows: [
      ['Ash', '0.50'],
      ['Elm', null],
      [null, '1.25'],
    ],
    totals: ['1.75'],
  });
  const sql = {
    query: {
      by: ['branch.name'],
      measures: ['Total fine'],
      filters: [{ column: 'branch.name', in: ["O'Ash"] }],
    },
    dialect: 'postgresql',
  };
  const { body: written } = await api().post(`/api/models/${id}/sql`).send(sql).expect(200);
  // Names are quoted, values are parameters.
  expect((written as { sql: string }).sql).toMatch(/^-- \$1 text: O'Ash\n/);
  expect((written as { sql: string }).sql.replace(/^--.*\n/, '')).not.toContain("O'Ash");
  await api()
    .post(`/api/models/${id}/sql`)
    .send({ ...sql, dialect: 'other' })
    .expect(400);
  const file = await api().get(`/api/models/${id}/release/model`).expect(200);
  const again = await api().post('/api/models/import').send({ text: file.text }).expect(200);
  expect((await state((again.body as { id: number }).id)).model).toEqual((await state(id)).model);
});

test.each<[string, Buffer]>([
  ['utf-16le', Buffer.from('\ufeffname,n\r\ncafé,2\r\nüber,3\r\n', 'utf16le')],
  ['windows-1252', Buffer.from('name,n\ncaf\xe9,2\n\xfcber,3\n', 'latin1')],
])(
  'a file of %s is rewritten on its way in, and nothing of that is left behind',
  async (_encoding, bytes) => {
    const id = await newModel();
    expect(await loadTable(id, 'recoded', bytes)).toMatchObject({ state: 'done', detail: '2 rows stored' });
    const { body } = await api().get(`/api/models/${id}/tables/recoded/rows`).expect(200);
    expect((body as { rows: unknown[] }).rows).toEqual([
      ['café', 2],
      ['über', 3],
    ]);
    expect(readdirSync(fixture.workspace.incoming)).toEqual([]);
  },
);

test('a gzip file is taken in as what it holds, and one that is none is refused', async () => {
  const model = await newModel();
  const id = await upload('visits.csv.gz', gzipSync('branch,people\nA,4\nB,7\n'));
  const { body: looked } = await api().post(`/api/uploads/${id}/preview`).send({}).expect(200);
  const { dialect, columns } = (looked as PreviewState).preview;
  const order = {
    upload: id,
    name: 'visits',
    dialect,
    columns: columns.map((c) => ({ name: c.name, fileName: c.fileName, type: c.type.kind })),
  };
  const { body: job } = await api()
    .post(`/api/models/${model}/intake`)
    .send({ tables: [order] })
    .expect(200);
  expect(await settled((job as JobState).id)).toMatchObject({ state: 'done', detail: '2 rows stored' });
  const { body: state } = await api().get(`/api/models/${model}`).expect(200);
  expect((state as ModelState).model.tables[0]!.source).toEqual({ file: 'visits.csv.gz' });
  const { body: refused } = await api()
    .post('/api/uploads?name=x.csv.gz')
    .set('content-type', 'application/octet-stream')
    .send('a,b\n')
    .expect(422);
  expect((refused as { message: string }).message).toContain('x.csv.gz is no gzip file that can be read');
});

test('a Parquet file is previewed by what it declares, corrected, and taken in', async () => {
  const model = await newModel();
  const day = (text: string) => new Date(`${text}T00:00:00Z`);
  const buffer = parquetWriteBuffer({
    columnData: [
      { name: 'Gift No', data: [1n, 2n, null], type: 'INT64' },
      { name: 'Branch', data: ['Ash', null, '7'], type: 'STRING' },
      { name: 'Given', data: [day('2026-01-05'), null, day('2026-02-01')], type: 'TIMESTAMP' },
    ],
    rowGroupSize: 2,
  });
  const id = await upload('gifts.parquet', Buffer.from(buffer));
  const look = async (body: object) =>
    ((await api().post(`/api/uploads/${id}/preview`).send(body).expect(200)).body as PreviewState).preview;
  const { format, columns, rows, whole } = await look({});
  expect({ format, rows, whole }).toEqual({ format: 'parquet', rows: 3, whole: true });
  expect(columns.map((c) => [c.name, c.type.kind, c.nulls, c.reason])).toEqual([
    ['Gift No', 'integer', 1, 'as the file declares'],
    ['Branch', 'text', 1, 'as the file declares'],
    ['Given', 'timestamp', 1, 'as the file declares'],
  ]);
  const corrected = await look({ columns: [{ place: 1, type: 'integer' }] });
  expect(corrected.columns[1]!.misfits).toEqual({
    rows: 1,
    distinct: 1,
    sample: [{ text: 'Ash', rows: 1, lines: [1] }],
  });
  const { dialect } = corrected;
  const order = {
    upload: id,
    name: 'gifts',
    dialect,
    columns: [
      { name: 'no', fileName: 'Gift No', type: 'integer' },
      { name: 'given', fileName: 'Given', type: 'date' },
    ],
  };
  const { body: job } = await api()
    .post(`/api/models/${model}/intake`)
    .send({ tables: [order] })
    .expect(200);
  expect(await settled((job as JobState).id)).toMatchObject({ state: 'done', detail: '3 rows stored' });
  const { body } = await api().get(`/api/models/${model}/tables/gifts/rows?offset=0&count=9`).expect(200);
  expect((body as { rows: unknown }).rows).toEqual([
    [1, '2026-01-05'],
    [2, null],
    [null, '2026-02-01'],
  ]);
  const { body: refused } = await api()
    .post(`/api/uploads/${await upload('x.parquet', 'no table')}/preview`)
    .send({})
    .expect(422);
  expect((refused as { message: string }).message).toMatch(/^x\.parquet is not a readable Parquet file/);
});

test('parts of a table are added and replaced, and a load that takes no misfits stores nothing', async () => {
  const model = await newModel();
  const load = async (part: string, text: string, rest: object = {}) => {
    const id = await upload('visits.csv', text);
    const { body: looked } = await api().post(`/api/uploads/${id}/preview`).send({}).expect(200);
    const { dialect } = (looked as PreviewState).preview;
    const columns = [
      { name: 'branch', fileName: 'branch', type: 'text' },
      { name: 'people', fileName: 'people', type: 'integer' },
    ];
    const { body: job } = await api()
      .post(`/api/models/${model}/intake`)
      .send({ tables: [{ upload: id, name: 'visits', dialect, columns, part, ...rest }] })
      .expect(200);
    return settled((job as JobState).id);
  };
  const parts = async () => {
    const { body } = await api().get(`/api/models/${model}`).expect(200);
    return (body as ModelState).stored[0]!.parts!.map(({ name, rows }) => [name, rows]);
  };
  await load('May', 'branch,people\nA,4\nB,7\n');
  await load('June', 'branch,people\nA,5\n');
  expect(await parts()).toEqual([
    ['May', 2],
    ['June', 1],
  ]);
  await load('May', 'branch,people\nC,1\nA,2\nB,3\n');
  expect(await parts()).toEqual([
    ['June', 1],
    ['May', 3],
  ]);
  const stopped = await load('July', 'branch,people\nA,many\n', { misfits: 'stop' });
  expect(stopped.faults.join()).toMatch(
    /1 value of people \(“many” on line 2, for one\).*Nothing was stored/,
  );
  expect(await parts()).toHaveLength(2);
});

test('a column of a file keeps its values under another name, also when it is loaded again', async () => {
  const model = await newModel();
  await loadTable(model, 'branches', BRANCHES);
  const rename = async (column: string, to: string) => {
    const { body } = await api().get(`/api/models/${model}`).expect(200);
    const edit = [{ do: 'rename', of: { table: 'branches', column }, to }];
    await api()
      .post(`/api/models/${model}/edits`)
      .send({ base: (body as ModelState).revision.id, edit, says: 'another name' })
      .expect(200);
  };
  const rows = async () =>
    (await api().get(`/api/models/${model}/tables/branches/rows?count=9`).expect(200)).body as {
      columns: unknown;
      rows: unknown;
    };
  await rename('name', 'called');
  await rename('called', 'label');
  expect(await rows()).toMatchObject({
    columns: [{ name: 'code' }, { name: 'label' }],
    rows: [
      ['A', 'Ash'],
      ['B', 'Elm'],
    ],
  });
  const id = await upload('branches.csv', 'code,name\nC,Oak\n');
  const dialect = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
  const columns = [
    { name: 'code', fileName: 'code', type: 'text' },
    { name: 'label', fileName: 'name', type: 'text' },
  ];
  const order = { upload: id, name: 'branches', dialect, columns, part: 'new' };
  const { body: job } = await api()
    .post(`/api/models/${model}/intake`)
    .send({ tables: [order] })
    .expect(200);
  expect(await settled((job as JobState).id)).toMatchObject({ state: 'done' });
  expect(await rows()).toMatchObject({
    rows: [
      ['A', 'Ash'],
      ['B', 'Elm'],
      ['C', 'Oak'],
    ],
  });
});

test('what was corrected holds for the next load, and a table that comes from no file takes none', async () => {
  const model = await newModel();
  await loadTable(model, 'branches', BRANCHES);
  const order = async (text: string, name: string, dialect: object) => {
    const columns = [{ name: 'code', fileName: 'code', type: 'text' }];
    return { tables: [{ upload: await upload('again.csv', text), name, dialect, columns }] };
  };
  const dialect = { delimiter: ';', quote: '"', header: true, skip: 1, encoding: 'utf-8', newline: '\n' };
  const { body: job } = await api()
    .post(`/api/models/${model}/intake`)
    .send(await order('Branches\ncode;name\nC;Oak\n', 'branches', dialect))
    .expect(200);
  expect(await settled((job as JobState).id)).toMatchObject({ state: 'done' });
  const { body } = await api().get(`/api/models/${model}`).expect(200);
  const { model: now, revision } = body as ModelState;
  expect(now.tables[0]!.source).toEqual({ file: 'branches.csv', delimiter: ';', skip: 1 });
  const fund = {
    name: 'fund',
    role: 'dimension',
    source: { members: [{ code: 'B' }] },
    columns: [{ name: 'code', type: 'text' }],
  };
  await api()
    .post(`/api/models/${model}/edits`)
    .send({ base: revision.id, edit: [{ do: 'put-tables', name: null, value: fund }], says: 'type a fund' })
    .expect(200);
  const { body: refused } = await api()
    .post(`/api/models/${model}/intake`)
    .send(await order('code\nX\n', 'fund', { ...dialect, skip: 0 }))
    .expect(400);
  expect((refused as { message: string }).message).toContain('the rows of fund come from no file');
});

test('columns are named by the rule of the workspace', async () => {
  const naming = async (rule: string) => {
    await api().put('/api/settings').send({ naming: rule }).expect(200);
    const id = await upload('gifts.csv', 'Gift No,order\n1,2\n');
    const { body } = await api().post(`/api/uploads/${id}/preview`).send({}).expect(200);
    return (body as PreviewState).preview.columns.map((c) => c.name);
  };
  expect(await naming('snake_case')).toEqual(['gift_no', 'order_']);
  expect(await naming('as they are')).toEqual(['Gift No', 'order']);
  await api().put('/api/settings').send({ naming: 'my own' }).expect(400);
});

test('only what a change touches is judged again', async () => {
  const id = await newModel();
  await loadTable(id, 'loan', LOANS);
  await judged(id);
  const saved = () =>
    fixture.workspace.db.prepare('select claim, basis from verdict where model_id = ?').all(id) as {
      claim: string;
      basis: string;
    }[];
  const before = saved();
  const { revision } = await state(id);
  await api()
    .post(`/api/models/${id}/edits`)
    .send({
      base: revision.id,
      edit: [{ do: 'put-measures', name: null, value: { name: 'Loans', formula: 'count(loan)' } }],
      says: 'a measure',
    })
    .expect(200);
  const after = await judged(id);
  expect(after.claims.find((c) => c.id === 'formula-valid:Loans')!.verdict).toBe('holds');
  for (const { claim, basis } of before) expect(saved().find((s) => s.claim === claim)!.basis).toBe(basis);
});

test('two windows: the second edit on one revision is told of the conflict', async () => {
  const id = await newModel();
  const { revision } = await state(id);
  const edit = (title: string) =>
    api()
      .post(`/api/models/${id}/edits`)
      .send({ base: revision.id, edit: [{ do: 'set-model', change: { title } }], says: title });
  await edit('Mine').expect(200);
  const { body } = await edit('Theirs').expect(409);
  expect(body).toMatchObject({ code: 'conflict', message: expect.stringContaining('Mine') as string });
  expect((await state(id)).model.title).toBe('Mine');
  const undone = await api()
    .post(`/api/models/${id}/undo`)
    .send({ base: (await state(id)).revision.id })
    .expect(200);
  expect((undone.body as ModelState).model.title).toBe('Small');
});

describe('bad input gets one clear message, and the server goes on', () => {
  test.each<[string, () => PromiseLike<{ status: number; body: unknown }>, number, RegExp]>([
    [
      'a shape that is not asked for',
      () => api().post('/api/models').send({ titel: 'x' }),
      400,
      /request: unknown field "titel", did you mean "title"\?|request.title/,
    ],
    [
      'no JSON',
      () => api().post('/api/models').set('content-type', 'application/json').send('{oops'),
      400,
      /not JSON/,
    ],
    [
      'too much',
      () =>
        api()
          .post('/api/models')
          .send({ title: 'x'.repeat(9 << 20) }),
      413,
      /larger than 8mb/,
    ],
    [
      'another origin',
      () => api().post('/api/models').set('origin', 'https://elsewhere.example').send({ title: 'x' }),
      403,
      /may not use this server/,
    ],
    [
      'a page of another site that only reads',
      () => api().get('/api/models').set('sec-fetch-site', 'cross-site'),
      403,
      /another site/,
    ],
    [
      'a link of another site into the interface',
      () =>
        api().get('/api/models').set({
          'sec-fetch-site': 'cross-site',
          'sec-fetch-mode': 'navigate',
          'sec-fetch-dest': 'document',
        }),
      403,
      /another site/,
    ],
    ['another verb', () => api().delete('/nothing'), 404, /nothing to DELETE/],
    [
      'an encoding that it is not in',
      () =>
        api()
          .post('/api/models')
          .set({ 'content-encoding': 'gzip', 'content-type': 'application/json' })
          .send('{"title":"x"}'),
      400,
      /headers do not fit/,
    ],
    [
      'an edit to a day that is none',
      async () => {
        const id = await fixture.newModel('Day');
        const { revision } = await fixture.stateOf(id);
        const edit = [{ do: 'set-model', change: { asOf: '2026-02-30' } }];
        return api().post(`/api/models/${id}/edits`).send({ base: revision.id, edit, says: 'x' });
      },
      400,
      /a day is written like/,
    ],
    [
      'a name that is taken',
      async () => {
        const id = await fixture.newModel('Names');
        const put = async (name: string) => {
          const { revision } = await fixture.stateOf(id);
          const edit = [{ do: 'put-measures', name: null, value: { name, formula: '1' } }];
          await api()
            .post(`/api/models/${id}/edits`)
            .send({ base: revision.id, edit, says: 'x' })
            .expect(200);
        };
        await put('One');
        await put('Two');
        const { revision } = await fixture.stateOf(id);
        const edit = [{ do: 'rename', of: { measure: 'One' }, to: 'Two' }];
        return api().post(`/api/models/${id}/edits`).send({ base: revision.id, edit, says: 'x' });
      },
      422,
      /the name "Two" is already used/,
    ],
    [
      'a request that nests without end',
      () =>
        api()
          .post('/api/models')
          .send(JSON.parse(`${'['.repeat(200)}${']'.repeat(200)}`) as object),
      400,
      /nested/,
    ],
    [
      'a gzip file that would fill the disk',
      () =>
        api()
          .post('/api/uploads?name=a.csv.gz')
          .set('content-type', 'application/octet-stream')
          .send(gzipSync(Buffer.alloc(200_000_000, 'a,b\n'))),
      422,
      /more than 250 times its size/,
    ],
    [
      'another name for this machine',
      () => api().get('/api/models').set('host', 'elsewhere.example'),
      403,
      /loopback/,
    ],
    ['a model that is not there', () => api().get('/api/models/9999'), 404, /no model 9999/],
    ['a path that is not there', () => api().get('/api/nothing'), 404, /nothing at \/api\/nothing/],
    [
      'a newer model file',
      () => api().post('/api/models/import').send({ text: '{"crease": 9}' }),
      400,
      /format version 9/,
    ],
    [
      'a file that is no table',
      () => api().post('/api/uploads?name=a.exe').send('x'),
      422,
      /a.exe cannot be imported/,
    ],
    ['an upload that is not there', () => api().post('/api/uploads/../../x/preview').send({}), 404, /./],
  ])('%s', async (_name, ask, status, message) => {
    const { status: got, body } = await ask();
    expect((body as { message: string }).message).toMatch(message);
    expect(got).toBe(status);
    await api().get('/api/models').expect(200);
  });

  test.each([
    ['an empty file', '', /empty/],
    [
      '6,000 columns',
      `${Array.from({ length: 6000 }, (_, i) => `c${i}`).join(',')}\n`,
      /6000 columns, the most is 5000/,
    ],
  ])('%s', async (_name, text, message) => {
    const id = await upload('x.csv', text);
    const { body } = await api().post(`/api/uploads/${id}/preview`).send({}).expect(422);
    expect((body as { message: string }).message).toMatch(message);
  });

  test('a question that cannot be answered', async () => {
    const id = await newModel();
    const { body } = await api()
      .post(`/api/models/${id}/query`)
      .send({ query: { measures: ['Nothing'] } })
      .expect(422);
    expect((body as { message: string }).message).toContain('there is no measure "Nothing"');
  });

  test('two columns of one name, ragged rows and a field of 10 MB: what fits is stored, the rest is listed', async () => {
    const id = await newModel();
    const job = await loadTable(id, 'odd', `a,A,b\n1,2,3\n1,2\n4,5,${'x'.repeat(10 << 20)}\n6,7,8\n`);
    expect(job).toMatchObject({ state: 'done', detail: '2 rows stored, 2 listed as left out' });
    const { model, stored } = await state(id);
    expect(model.tables[0]!.columns.map((c) => c.name)).toEqual(['a', 'A_2', 'b']);
    expect(stored[0]!.problems.map((p) => p.line)).toEqual([3, 4]);
  });

  test('a file that lacks a column that was chosen: nothing is stored', async () => {
    const id = await newModel();
    const file = await upload('x.csv', 'a,b\n1,2\n');
    const dialect = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
    const { body } = await api()
      .post(`/api/models/${id}/intake`)
      .send({
        tables: [{ upload: file, name: 'x', dialect, columns: [{ name: 'c', fileName: 'c', type: 'text' }] }],
      })
      .expect(200);
    expect(await settled((body as JobState).id)).toMatchObject({
      state: 'failed',
      faults: [expect.stringContaining('has no column "c"') as string],
    });
    expect((await state(id)).model.tables).toEqual([]);
  });

  test('none of it was a fault of the server', () => {
    expect(fixture.logged).toEqual([]);
  });
});

test('the page of errors names every code, and no other', () => {
  const page = readFileSync(join(__dirname, '../../docs/errors.md'), 'utf8');
  const named = [...page.matchAll(/^\| `([\w-]+)` \| (\d+) \|/gm)].map((m) => [m[1], Number(m[2])]);
  expect(named).toEqual(Object.entries(ERRORS).map(([code, { status }]) => [code, status]));
});
