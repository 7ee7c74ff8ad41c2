import { readFileSync, statSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { ConnectionsState, DatabaseTable, JobState, RightsState, UploadState } from '@crease/contract';
import { PostgresqlReader } from '../src/databases/postgresql.ts';
import { Secrets, SecretError } from '../src/databases/secrets.ts';
import type { Cluster } from './postgresql.ts';
import { startPostgresql } from './postgresql.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let fixture: ApiFixture;
let cluster: Cluster;
const READER_PASSWORD = 'only-reads-7f2';

const SCHEMA = `
  create schema "we;ird ""x";
  create table branch (code text primary key, name varchar(80) not null, opened date, area numeric(9,2));
  create table loan (
    id bigint primary key, branch_code text references branch (code), lent_at timestamp, back_at timestamptz, fine numeric, weight double precision,
    waived boolean, note text, raw bytea, kind char(3), tag uuid);
  create table "we;ird ""x"."drop table branch; --" ("a ""b"", c" integer, "select" text);
  insert into branch values ('007', 'Ash, "old"', '1961-01-01', 1820.43), ('B2', '', null, null);
  insert into loan values
    (9007199254740993, '007', '2026-01-02 03:04:05.678901', '2026-01-02 03:04:05+02', 0.10, 1e-7, true, E'two\\nlines', '\\x00ff', 'ab', '00000000-0000-0000-0000-000000000001'),
    (2, null, null, null, 12345678901234567890.125, null, false, '', null, null, null),
    (3, 'B2', 'infinity', null, null, -2.5, null, null, null, 'xyz', null);
  insert into "we;ird ""x"."drop table branch; --" values (1, 'x');
  create view busy as select branch_code, count(*) as loans from loan group by 1;
  create type mood as enum ('calm', 'loud');
  create table member (
    member_no int primary key, mentor int references member, moods mood[], mood mood, fee money,
    stay daterange, facts jsonb, spent interval);
  comment on table member is 'who borrows';
  comment on column member.mentor is 'who brought them';
  insert into member values
    (1, null, '{calm,loud}', 'calm', 1234.50, '[2026-01-01,2026-02-01)', '{"a": 1}', '1 day 02:00'),
    (2, 1, null, null, null, null, null, null);
  create role crease_reader login password '${READER_PASSWORD}';
  grant usage on schema public to crease_reader;
  grant select on branch to crease_reader;
`;

beforeAll(async () => {
  fixture = await startApi();
  cluster = await startPostgresql();
  await cluster.client.query(SCHEMA);
});
afterAll(async () => {
  await fixture.close();
  await cluster.stop();
});

const api = () => fixture.api();
const newModel = () => fixture.newModel('From a database');
const connect = (name: string, change: object = {}) =>
  api()
    .put('/api/connections')
    .send({ kind: 'postgresql', name, ...cluster.place, ...change });
const messageOf = (body: unknown) => (body as { message: string }).message;

async function draw(
  connection: string,
  ...tables: { schema?: string; table: string }[]
): Promise<UploadState[]> {
  const { body } = await api().post(`/api/connections/${connection}/sample`).send({ tables }).expect(200);
  return body as UploadState[];
}

const look = (upload: UploadState) => fixture.look(upload.id);
const orderOf = (upload: UploadState, name: string) => fixture.orderOf(upload.id, name);
const settled = (model: number, tables: object[]) => fixture.load(model, tables);
const stateOf = (model: number) => fixture.stateOf(model);
const rowsOf = (model: number, table: string) => fixture.rowsOf(model, table);

describe('connections', () => {
  test('what is wrong with one is said precisely', async () => {
    const fault = async (change: object) => {
      await connect('probe', change).expect(200);
      return messageOf((await api().post('/api/connections/probe/test').expect(422)).body);
    };
    expect(await fault({ password: 'wrong' })).toBe('the password of postgres is not right');
    expect(await fault({ database: 'nowhere' })).toMatch(/has no database nowhere/);
    const port = await closedPort();
    expect(await fault({ port })).toBe(
      `nothing answers at 127.0.0.1:${port}: is the server running, and does it listen there?`,
    );
    expect(await fault({ host: 'no-such-machine.invalid' })).toMatch(
      /host no-such-machine.invalid not found/,
    );
    await connect('probe').expect(200);
    expect((await api().post('/api/connections/probe/test').expect(200)).body).toMatchObject({
      server: expect.stringMatching(/^PostgreSQL \d+/) as string,
    });
    await api().delete('/api/connections/probe').expect(200);
    expect(messageOf((await api().post('/api/connections/probe/test').expect(422)).body)).toMatch(
      /no connection probe/,
    );
  });

  test('a server that takes the connection and says nothing is given up', async () => {
    const silent = createServer(() => undefined);
    await new Promise<void>((ready) => silent.listen(0, '127.0.0.1', ready));
    const { port } = silent.address() as AddressInfo;
    await expect(
      new PostgresqlReader({ ...cluster.place, port }).test(AbortSignal.timeout(300)),
    ).rejects.toThrow('cancelled');
    silent.close();
  });

  test('connections inherit the account of the workspace unless they have their own', async () => {
    const { user, password } = cluster.place;
    await connect('inherits', { user: undefined, password: undefined }).expect(200);
    expect(messageOf((await api().post('/api/connections/inherits/test').expect(422)).body)).toMatch(
      /inherits has no account/,
    );
    await api().put('/api/account').send({ user, password: 'wrong' }).expect(200);
    expect(messageOf((await api().post('/api/connections/inherits/test').expect(422)).body)).toMatch(
      /password of postgres is not right/,
    );
    await api().put('/api/account').send({ user, password }).expect(200);
    await api().post('/api/connections/inherits/test').expect(200);
    await connect('own', { user: 'crease_reader', password: READER_PASSWORD }).expect(200);
    const { connections, account } = (await api().get('/api/connections').expect(200))
      .body as ConnectionsState;
    expect(account).toEqual({ user: 'postgres', hasPassword: true });
    expect(connections.map((c) => c.kind === 'postgresql' && [c.name, c.account])).toEqual([
      ['inherits', { user: 'postgres', own: false, hasPassword: true }],
      ['own', { user: 'crease_reader', own: true, hasPassword: true }],
    ]);
  });

  test('a password that is kept is not sent to another place', async () => {
    await connect('moves').expect(200);
    await connect('moves', { password: undefined }).expect(200);
    await api().post('/api/connections/moves/test').expect(200);
    await connect('moves', { host: 'localhost', password: undefined }).expect(200);
    expect(messageOf((await api().post('/api/connections/moves/test').expect(422)).body)).toMatch(
      /password/i,
    );
    await api().delete('/api/connections/moves').expect(200);
  });

  test('passwords are nowhere to be read: not in answers, not in the workspace file, not in the log', async () => {
    const texts = [
      JSON.stringify((await api().get('/api/connections').expect(200)).body),
      ...['', '-wal'].map((end) => readFileSync(`${fixture.workspace.file}${end}`, 'latin1')),
      fixture.logged.join('\n'),
    ];
    for (const text of texts)
      for (const secret of [READER_PASSWORD, cluster.place.password]) expect(text).not.toContain(secret);
    expect(statSync(join(fixture.folder, 'elsewhere', 'key')).mode & 0o777).toBe(0o600);
  });

  test('a secret opens under its own key and for its own use only', () => {
    const [one, other] = [
      new Secrets(join(fixture.folder, 'one')),
      new Secrets(join(fixture.folder, 'other')),
    ];
    const sealed = one.seal('päss', 'connection:a');
    expect(one.open(sealed, 'connection:a')).toBe('päss');
    expect(sealed.equals(one.seal('päss', 'connection:a'))).toBe(false);
    expect(() => one.open(sealed, 'connection:b')).toThrow(SecretError);
    expect(() => other.open(sealed, 'connection:a')).toThrow(/is gone/);
    other.seal('x', 'y');
    expect(() => other.open(sealed, 'connection:a')).toThrow(/enter it again/);
    writeFileSync(join(fixture.folder, 'other'), 'short');
    expect(() => other.seal('x', 'y')).toThrow(/is no key/);
  });
});

describe('PostgreSQL', () => {
  test('its tables are listed with what they declare', async () => {
    await connect('warehouse').expect(200);
    const tables = (await api().get('/api/connections/warehouse/tables').expect(200)).body as DatabaseTable[];
    expect(tables.map((t) => [t.schema, t.table, t.kind, t.columns])).toEqual([
      ['public', 'branch', 'table', 4],
      ['public', 'busy', 'view', 2],
      ['public', 'loan', 'table', 11],
      ['public', 'member', 'table', 8],
      ['we;ird "x', 'drop table branch; --', 'table', 2],
    ]);
    expect(tables.find((t) => t.table === 'loan')).toMatchObject({
      key: ['id'],
      references: [{ columns: ['branch_code'], schema: 'public', table: 'branch', toColumns: ['code'] }],
    });
  });

  test('rows come in with their types, keys and references; nulls and empty texts stay apart', async () => {
    const model = await newModel();
    const names = ['branch', 'loan'];
    const drawn = await draw(
      'warehouse',
      { schema: 'public', table: 'branch' },
      { schema: 'public', table: 'loan' },
    );
    const orders = await Promise.all(drawn.map((upload, i) => orderOf(upload, names[i]!)));
    const job = await settled(model, orders);
    expect([job.state, job.faults, job.detail]).toEqual(['done', [], '5 rows stored']);
    const state = await stateOf(model);
    const [branch, loan] = state.model.tables;
    expect(branch!.columns.map((c) => [c.name, c.type, c.use])).toEqual([
      ['code', 'text', 'key'],
      ['name', 'text', 'attribute'],
      ['opened', 'date', 'attribute'],
      ['area', 'decimal(9,2)', 'attribute'],
    ]);
    expect(await rowsOf(model, 'branch')).toEqual([
      ['007', 'Ash, "old"', '1961-01-01', '1820.43'],
      ['B2', '', null, null],
    ]);
    expect(loan!.columns.map((c) => c.type)).toEqual([
      'integer',
      'text',
      'timestamp',
      'timestamp',
      'decimal(38,3)',
      'double',
      'boolean',
      'text',
      'text',
      'text',
      'text',
    ]);
    expect(await rowsOf(model, 'loan')).toEqual([
      [
        '9007199254740993',
        '007',
        '2026-01-02T03:04:05.678901',
        '2026-01-02T01:04:05',
        '0.100',
        1e-7,
        true,
        'two\nlines',
        '00ff',
        'ab',
        '00000000-0000-0000-0000-000000000001',
      ],
      [2, null, null, null, '12345678901234567890.125', null, false, '', null, null, null],
      [3, 'B2', null, null, null, -2.5, null, null, null, 'xyz', null],
    ]);
    expect(loan!.key).toEqual(['id']);
    expect(loan!.source).toEqual({ connection: 'warehouse', schema: 'public', table: 'loan' });
    expect(state.model.relationships).toEqual([
      {
        name: 'loan_branch',
        from: { table: 'loan', columns: ['branch_code'] },
        to: { table: 'branch', columns: ['code'] },
        cardinality: 'many-to-one',
      },
    ]);
    expect(JSON.stringify(state.model)).not.toContain(cluster.place.password);
  });

  test('names with quotes and semicolons are names', async () => {
    const model = await newModel();
    const [upload] = await draw('warehouse', { schema: 'we;ird "x', table: 'drop table branch; --' });
    expect((await settled(model, [await orderOf(upload!, 'odd')])).state).toBe('done');
    expect(await rowsOf(model, 'odd')).toEqual([[1, 'x']]);
    expect((await cluster.client.query('select count(*)::int as n from branch')).rows).toEqual([{ n: 2 }]);
  });

  test('loaded again the rows are replaced, and what was said of columns stays', async () => {
    const model = await newModel();
    const take = async () =>
      settled(model, [
        await orderOf((await draw('warehouse', { schema: 'public', table: 'branch' }))[0]!, 'branch'),
      ]);
    await take();
    await cluster.client.query(`insert into branch values ('C3', 'Elm', '2020-02-02', 1)`);
    await take();
    expect((await stateOf(model)).stored.map((s) => [s.name, s.rows])).toEqual([['branch', 3]]);
    await cluster.client.query(`delete from branch where code = 'C3'`);
  });

  test('a table that changes between the look and the load stores nothing, and says so', async () => {
    const model = await newModel();
    await cluster.client.query(
      'create table passing (a integer, b integer); insert into passing values (1, 2)',
    );
    const [upload] = await draw('warehouse', { schema: 'public', table: 'passing' });
    const order = await orderOf(upload!, 'passing');
    await cluster.client.query('alter table passing drop column b');
    expect(await settled(model, [order])).toMatchObject({
      state: 'failed',
      faults: [expect.stringMatching(/has no column b any more/)],
    });
    await cluster.client.query('drop table passing');
    expect(await settled(model, [order])).toMatchObject({
      state: 'failed',
      faults: [expect.stringMatching(/no table public.passing/)],
    });
    expect((await stateOf(model)).stored).toEqual([]);
  });

  test('a connection that breaks off in the middle leaves the rows of before', async () => {
    const model = await newModel();
    await cluster.client.query(
      `create table long_one as select g as n, repeat('x', 400) as t from generate_series(1, 30000) g`,
    );
    const take = async () =>
      orderOf((await draw('warehouse', { schema: 'public', table: 'long_one' }))[0]!, 'long_one');
    expect((await settled(model, [await take()])).state).toBe('done');
    const order = await take();
    await cluster.client.query(
      `create or replace view slow_rows as select n, t from long_one where n < 20000 or pg_sleep(0.001) is not null`,
    );
    const [slow] = await draw('warehouse', { schema: 'public', table: 'slow_rows' }).catch(() => []);
    const broken = settled(model, [{ ...(await orderOf(slow!, 'long_two')) }]);
    const kill = setInterval(
      () =>
        void cluster.client.query(
          `select pg_terminate_backend(pid) from pg_stat_activity where application_name = 'crease' and query like 'copy%'`,
        ),
      50,
    );
    const job = await broken;
    clearInterval(kill);
    expect(job).toMatchObject({
      state: 'failed',
      faults: [expect.stringMatching(/broke off|shutting down/)],
    });
    expect((await stateOf(model)).stored.map((s) => [s.name, s.rows])).toEqual([['long_one', 30_000]]);
    expect(order).toBeDefined();
  });

  test('cancelled while rows come, nothing is stored', async () => {
    const model = await newModel();
    const [upload] = await draw('warehouse', { schema: 'public', table: 'slow_rows' });
    const order = await orderOf(upload!, 'slow');
    const { body } = await api()
      .post(`/api/models/${model}/intake`)
      .send({ tables: [order] });
    await new Promise((resume) => setTimeout(resume, 100));
    await api()
      .delete(`/api/jobs/${(body as JobState).id}`)
      .expect(200);
    const job = await fixture.settled(body as JobState);
    expect(job.state).toBe('cancelled');
    expect((await stateOf(model)).stored).toEqual([]);
  });

  test('nothing can be written, and the account is told what it could do too much', async () => {
    await connect('careful', { user: 'crease_reader', password: READER_PASSWORD }).expect(200);
    const rights = async (name: string) =>
      (
        await api()
          .post(`/api/connections/${name}/rights`)
          .send({ tables: [{ schema: 'public', table: 'branch' }] })
          .expect(200)
      ).body as RightsState;
    expect(await rights('careful')).toMatchObject({ account: 'crease_reader', excess: [] });
    const { excess, sql } = await rights('warehouse');
    expect(excess).toEqual(['do anything on the server: it is a superuser']);
    await cluster.client.query(
      `create role crease_writer login password 'w' createdb; grant insert, delete on branch to crease_writer`,
    );
    await connect('writer', { user: 'crease_writer', password: 'w' }).expect(200);
    expect((await rights('writer')).excess).toEqual([
      'make databases',
      'add rows to public.branch',
      'delete rows of public.branch',
    ]);
    // The SQL makes an account that reads this table and nothing else.
    await cluster.client.query(sql.replaceAll('crease_reader', 'made_reader').replace('choose one', 'made'));
    await connect('made', { user: 'made_reader', password: 'made' }).expect(200);
    expect((await rights('made')).excess).toEqual([]);
    await draw('made', { schema: 'public', table: 'branch' });
    const refused = await api()
      .post('/api/connections/made/sample')
      .send({ tables: [{ schema: 'public', table: 'loan' }] })
      .expect(422);
    expect(messageOf(refused.body)).toMatch(/made_reader may not read that/);
  });

  /** A right that is too much: how it is given to an account, and how it is told. */
  test.each([
    ['createrole', 'alter role R createrole', /^make accounts$/],
    ['rows of one table', 'grant update on branch to R', /^change rows of public\.branch$/],
    ['one column', 'grant update (name) on branch to R', /^change single columns of public\.branch$/],
    ['a sequence', 'grant usage on sequence numbers to R', /^move on the sequences public\.numbers$/],
    [
      'a function of another',
      'grant execute on function do_much() to R',
      /^act as their maker through public\.do_much$/,
    ],
    ['a schema', 'grant create on schema public to R', /^make tables in public$/],
    ['files of the server', 'grant pg_read_server_files to R', /pg_read_server_files/],
    ['programs', 'grant pg_execute_server_program to R', /pg_execute_server_program/],
    ['all tables', 'grant pg_write_all_data to R', /pg_write_all_data/],
    ['a role that is inherited', 'grant may_write to R', /^delete rows of public\.branch$/],
    [
      'a role that is taken',
      'alter role R noinherit; grant may_write to R',
      /^delete rows of public\.branch$/,
    ],
    ['what a role is', 'grant may_write to R', /^make databases by taking the role may_write$/],
  ])('an account is told of %s, and of nothing once it lacks that', async (_what, give, told) => {
    const { client } = cluster;
    const role = `given_${Math.random().toString(36).slice(2, 8)}`;
    await client.query(`
      create sequence if not exists numbers;
      create or replace function do_much() returns int language sql security definer as 'select 1';
      revoke execute on function do_much() from public;
      do $$ begin if to_regrole('may_write') is null then create role may_write createdb; end if; end $$;
      grant delete on branch to may_write;
      create role ${role} login password 'r'; grant select on branch to ${role}`);
    await connect(role, { user: role, password: 'r' }).expect(200);
    const rights = async () =>
      (
        await api()
          .post(`/api/connections/${role}/rights`)
          .send({ tables: [{ schema: 'public', table: 'branch' }] })
          .expect(200)
      ).body as RightsState;
    expect(await rights()).toMatchObject({ excess: [], beyond: [] });
    await client.query(give.replaceAll(/\bR\b/g, role));
    expect((await rights()).excess).toContainEqual(expect.stringMatching(told));
  });

  test('tables beyond the chosen ones are named', async () => {
    await cluster.client.query(
      `create role reads_two login password 'r'; grant select on branch to reads_two; grant select (id) on loan to reads_two`,
    );
    await connect('two', { user: 'reads_two', password: 'r' }).expect(200);
    const asked = api().post('/api/connections/two/rights');
    const { body } = await asked.send({ tables: [{ schema: 'public', table: 'branch' }] }).expect(200);
    expect(body).toMatchObject({ excess: [], beyond: ['public.loan'] });
  });

  test('a password is sent in clear only where the connection allows it', async () => {
    const heard: string[] = [];
    const asking = createServer((socket) => {
      socket.on('data', (bytes: Buffer) => {
        heard.push(bytes.toString('latin1'));
        // AuthenticationCleartextPassword, then an error whatever came.
        if (heard.length === 1) socket.write(Buffer.from([0x52, 0, 0, 0, 8, 0, 0, 0, 3]));
        else socket.end();
      });
      socket.on('error', () => undefined); // it is cut off: that is what is wanted
    });
    await new Promise<void>((ready) => asking.listen(0, '127.0.0.1', ready));
    const { port } = asking.address() as AddressInfo;
    const place = { host: '127.0.0.1', port, database: 'd', user: 'u', password: 'nobody-hears-this' };
    await expect(new PostgresqlReader(place).test()).rejects.toThrow(/asks for an unencrypted password/);
    expect(heard.join('')).not.toContain('nobody-hears-this');
    heard.length = 0;
    await expect(new PostgresqlReader({ ...place, clearPassword: true }).test()).rejects.toThrow(
      /broke off|terminated/,
    );
    expect(heard.join('')).toContain('nobody-hears-this');
    await new Promise((closed) => asking.close(closed));
  });
});

describe('SQLite files', () => {
  const make = (name: string, sql: string): string => {
    const file = join(fixture.folder, name);
    const database = new Database(file);
    database.exec(sql);
    database.close();
    return file;
  };
  const connectFile = (name: string, file: string) =>
    api().put('/api/connections').send({ kind: 'sqlite', name, file }).expect(200);

  test('tables come in with their keys and references', async () => {
    const file = make(
      'library.sqlite',
      `create table branch (code text primary key, name text, opened text);
       create table loan (id integer primary key, branch text references branch, fine decimal(9,2), note text, big integer, at date);
       insert into branch values ('007', 'Ash', '1961-01-01'), ('B2', '', null);
       insert into loan values (7001, '007', 0.5, null, 9007199254740993, '2026-01-02'), (7002, null, 12, 'a,"b', 2, 'soon');`,
    );
    await connectFile('file', file);
    expect((await api().post('/api/connections/file/test').expect(200)).body).toMatchObject({
      server: expect.stringMatching(/^SQLite 3/) as string,
    });
    const listed = (await api().get('/api/connections/file/tables').expect(200)).body as DatabaseTable[];
    expect(listed.map((t) => [t.table, t.rows, t.key])).toEqual([
      ['branch', 2, ['code']],
      // Numbered from 7001 on: the span of the numbers tells, not the largest.
      ['loan', 2, ['id']],
    ]);
    const model = await newModel();
    const [branch, loan] = await draw('file', { table: 'branch' }, { table: 'loan' });
    const preview = await look(loan!);
    expect(preview.columns.find((c) => c.name === 'at')!.misfits).toMatchObject({ rows: 1 });
    const job = await settled(model, [await orderOf(branch!, 'branch'), await orderOf(loan!, 'loan')]);
    expect(job).toMatchObject({ state: 'done', faults: [] });
    const { model: made } = await stateOf(model);
    // Codes of digits stay text, days in a text column are days.
    expect(made.tables[0]!.columns.map((c) => c.type)).toEqual(['text', 'text', 'date']);
    expect(await rowsOf(model, 'branch')).toEqual([
      ['007', 'Ash', '1961-01-01'],
      ['B2', '', null],
    ]);
    expect(await rowsOf(model, 'loan')).toEqual([
      [7001, '007', '0.50', null, '9007199254740993', '2026-01-02'],
      [7002, null, '12.00', 'a,"b', 2, null],
    ]);
    expect(made.relationships!.map((r) => [r.from, r.to])).toEqual([
      [
        { table: 'loan', columns: ['branch'] },
        { table: 'branch', columns: ['code'] },
      ],
    ]);
  });

  test('a file that is none, or is not there, is said', async () => {
    const text = join(fixture.folder, 'text.sqlite');
    writeFileSync(
      text,
      'this is no database, whatever it is called; and it is long enough to be looked at as one, a hundred bytes and more',
    );
    await connectFile('text', text);
    expect(messageOf((await api().get('/api/connections/text/tables').expect(422)).body)).toMatch(
      /is no SQLite file/,
    );
    await connectFile('gone', join(fixture.folder, 'gone.sqlite'));
    expect(messageOf((await api().post('/api/connections/gone/test').expect(422)).body)).toMatch(
      /there is no file/,
    );
  });
});

const closedPort = (): Promise<number> =>
  new Promise((resolve) => {
    const probe = createServer();
    probe.listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as AddressInfo;
      probe.close(() => resolve(port));
    });
  });

test('comments become descriptions, a reference to the own table a tree, and types without a counterpart say what they are', async () => {
  await connect('told').expect(200);
  const { body } = await api().get('/api/connections/told/tables').expect(200);
  const member = (body as DatabaseTable[]).find((t) => t.table === 'member')!;
  expect(member).toMatchObject({
    comment: 'who borrows',
    comments: { mentor: 'who brought them' },
    // Never looked at by the planner, and small: counted.
    rows: 2,
  });
  const [upload] = await draw('told', { schema: 'public', table: 'member' });
  const { columns } = await look(upload!);
  expect(Object.fromEntries(columns.map((c) => [c.name, c.reason]))).toEqual({
    member_no: 'as the database has it',
    mentor: 'as the database has it',
    moods: 'of the database: a list of mood, as it is written',
    mood: 'of the database: one of the words of mood, as it is written',
    fee: 'of the database: money',
    stay: 'of the database: a range (daterange), as it is written',
    facts: 'of the database: jsonb, as it is written',
    spent: 'of the database: interval, as it is written',
  });
  const model = await newModel();
  expect((await settled(model, [await orderOf(upload!, 'member')])).state).toBe('done');
  const state = (await stateOf(model)).model;
  expect(state.tables[0]).toMatchObject({ description: 'who borrows', key: ['member_no'] });
  expect(state.tables[0]!.columns.find((c) => c.name === 'mentor')).toMatchObject({
    description: 'who brought them',
    use: 'reference',
  });
  expect(state.relationships ?? []).toEqual([]);
  expect(state.hierarchies).toEqual([{ name: 'member by mentor', table: 'member', parent: 'mentor' }]);
  expect((await rowsOf(model, 'member'))[0]).toEqual([
    1,
    null,
    '{calm,loud}',
    'calm',
    '1234.50',
    '[2026-01-01,2026-02-01)',
    '{"a": 1}',
    '1 day 02:00:00',
  ]);
  // Loaded once more, nothing stands twice, and what somebody has written stays.
  const base = (await stateOf(model)).revision.id;
  await api()
    .post(`/api/models/${model}/edits`)
    .send({
      base,
      edit: [{ do: 'set-table', table: 'member', change: { description: 'members' } }],
      says: 'describe',
    })
    .expect(200);
  const [again] = await draw('told', { schema: 'public', table: 'member' });
  expect((await settled(model, [await orderOf(again!, 'member')])).state).toBe('done');
  const after = (await stateOf(model)).model;
  expect(after.hierarchies).toHaveLength(1);
  expect(after.tables[0]!.description).toBe('members');
});
