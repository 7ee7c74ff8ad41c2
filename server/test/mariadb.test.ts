import { createServer } from 'node:net';
import type { AddressInfo } from 'node:net';
import type {
  ClaimsState,
  ConnectionsState,
  DatabaseTable,
  RightsState,
  UploadState,
} from '@crease/contract';
import { columnOfValues, tableOf } from '@crease/core/columns';
import type { Model } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import type { Proposal } from '@crease/core/propose';
import type { Answer } from '@crease/core/query';
import { DATE, TEXT } from '@crease/core/values';
import { MariadbReader } from '../src/databases/mariadb.ts';
import { mariadbEngine } from '../src/warehouse/engines/mariadb.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import { answersAsColumnsDo, found, openOn } from './engineSuite.ts';
import type { MariadbServer } from './mariadb.ts';
import { startMariadb, writeMariadb } from './mariadb.ts';

let server: MariadbServer;
beforeAll(async () => void (server = await startMariadb()), 120_000);
afterAll(() => server?.stop(), 60_000);
let databases = 0;

describe('questions and claims', () => {
  answersAsColumnsDo(async (data) => {
    const database = `world_${++databases}`;
    await writeMariadb(server.connection, database, data);
    return mariadbEngine({ ...server.place, database });
  });
});

const SCHEMA = `
  create table branch (code varchar(8) primary key, region varchar(40) not null) collate utf8mb4_general_ci;
  insert into branch values ('A', 'North'), ('b', 'South');
  create table loan (
    id bigint unsigned primary key, branch_code varchar(8), lent_at datetime(6), back_on date, fine decimal(9,2), waived tinyint(1),
    weight double, note text, raw blob, stay time, foreign key (branch_code) references branch (code));
  insert into loan values
    (18446744073709551615, 'A', '2026-01-02 03:04:05.678901', '2026-01-03', 0.10, 1, 1e-7, 'two
lines, "quoted" \\ back', x'00ff', '10:00:00'),
    (2, 'b', '2026-01-02', null, null, 0, null, '', null, null),
    (3, null, null, null, 2.5, null, -2.5, null, null, null);
  create table code_list (code varchar(8), n int);
  insert into code_list values ('a', 1), ('A', 2), ('A ', 3), ('á', 4);
  create view busy as select branch_code, count(*) as loans from loan group by 1;
  create user reader@'127.0.0.1' identified by 'reads';
  grant select on warehouse.branch to reader@'127.0.0.1';
`;

/** What one who only plays a server is sent, when it asks for the password in a way of its own. */
async function sentTo(plugin: string): Promise<{ message: string; sent: string }> {
  const zero = Buffer.alloc(1);
  const packet = (number: number, ...parts: Buffer[]) => {
    const body = Buffer.concat(parts);
    return Buffer.concat([Buffer.from([body.length & 255, body.length >> 8, 0, number]), body]);
  };
  // Protocol::HandshakeV10 and Protocol::AuthSwitchRequest of the client/server protocol.
  const greeting = packet(
    0,
    Buffer.from('\x0a5.5.5-10.11.0-MariaDB\0', 'latin1'),
    Buffer.from([1, 0, 0, 0]),
    Buffer.from('saltsalt\0'),
    Buffer.from([0xff, 0xf7, 45, 2, 0, 0xff, 0x81, 21]),
    Buffer.alloc(10),
    Buffer.from('saltsaltsalt\0mysql_native_password\0'),
  );
  const other = packet(
    2,
    Buffer.from([0xfe]),
    Buffer.from(plugin),
    zero,
    Buffer.from('saltsaltsaltsaltsalt'),
    zero,
  );
  const heard: Buffer[] = [];
  const fake = createServer((socket) => {
    socket.on('error', () => undefined); // the client goes when it likes
    socket.write(greeting);
    socket.on('data', (data) => heard.push(data) === 1 && socket.write(other));
  });
  await new Promise<void>((ready) => fake.listen(0, '127.0.0.1', ready));
  const { port } = fake.address() as AddressInfo;
  const reader = new MariadbReader({ ...server.place, port, password: 'only-for-the-real-one' });
  const message = await reader.test().then(
    () => 'no error',
    (error: Error) => error.message,
  );
  fake.close();
  return { message, sent: Buffer.concat(heard).toString('latin1') };
}

test.each(['mysql_clear_password', 'sha256_password', 'caching_sha2_password'])(
  'a password is not sent to a server that asks for it by %s',
  async (plugin) => {
    const { message, sent } = await sentTo(plugin);
    expect(message).toMatch(/asks for the password itself, which is not sent/);
    expect(sent).toContain('modeler');
    expect(sent).not.toContain('only-for-the-real-one');
  },
);

describe('a warehouse of MariaDB', () => {
  let fixture: ApiFixture;
  const api = () => fixture.api();
  const connect = (name: string, change: object = {}) =>
    api()
      .put('/api/connections')
      .send({ kind: 'mariadb', name, ...server.place, ...change })
      .expect(200);
  beforeAll(async () => {
    fixture = await startApi();
    await server.connection.query(SCHEMA);
    await connect('warehouse');
  });
  afterAll(() => fixture.close());

  test('it is listed without its password, tested, and its tables with keys and references', async () => {
    const { body } = await api().get('/api/connections').expect(200);
    expect(JSON.stringify(body)).not.toContain(server.place.password);
    expect((body as ConnectionsState).connections[0]).toMatchObject({
      kind: 'mariadb',
      account: { user: 'modeler', own: true, hasPassword: true },
    });
    const tested = await api().post('/api/connections/warehouse/test').expect(200);
    expect((tested.body as { server: string }).server).toMatch(/^MariaDB 1\d\./);
    const tables = (await api().get('/api/connections/warehouse/tables').expect(200)).body as DatabaseTable[];
    const own = tables.filter((t) => t.schema === 'warehouse');
    expect(own.map((t) => [t.table, t.kind, t.columns, t.key])).toEqual([
      ['branch', 'table', 2, ['code']],
      ['busy', 'view', 2, []],
      ['code_list', 'table', 2, []],
      ['loan', 'table', 10, ['id']],
    ]);
    expect(own[3]!.references).toEqual([
      { columns: ['branch_code'], schema: 'warehouse', table: 'branch', toColumns: ['code'] },
    ]);
  });

  test.each([
    [{ password: 'wrong' }, /the password of modeler is not right/],
    [{ database: 'nowhere' }, /the server has no database nowhere/],
    [{ port: 1 }, /nothing answers at 127.0.0.1:1/],
  ])('what is wrong with a connection is said: %j', async (change, says) => {
    await connect('probe', change);
    const { body } = await api().post('/api/connections/probe/test').expect(422);
    expect((body as { message: string }).message).toMatch(says);
  });

  test('its rows are brought in as they are: large numbers, moments, bytes, texts with quotes', async () => {
    const model = await fixture.newModel('From MariaDB');
    const { body } = await api()
      .post('/api/connections/warehouse/sample')
      .send({ tables: [{ schema: 'warehouse', table: 'loan' }] })
      .expect(200);
    const [upload] = body as UploadState[];
    const job = await fixture.load(model, [await fixture.orderOf(upload!.id, 'loan')]);
    expect(job.state).toBe('done');
    expect(await fixture.rowsOf(model, 'loan')).toEqual([
      ['2', 'b', '2026-01-02T00:00:00', null, null, 0, null, '', null, null],
      ['3', null, null, null, '2.50', null, -2.5, null, null, null],
      [
        ...['18446744073709551615', 'A', '2026-01-02T03:04:05.678901', '2026-01-03', '0.10', 1, 1e-7],
        ...['two\nlines, "quoted" \\ back', '00ff', '10:00:00'],
      ],
    ]);
  });

  test('an account that may more than read is told of, with the SQL for one that may not', async () => {
    const rightsOf = async (name: string) =>
      (
        await api()
          .post(`/api/connections/${name}/rights`)
          .send({ tables: [{ schema: 'warehouse', table: 'branch' }] })
          .expect(200)
      ).body as RightsState;
    const modeler = await rightsOf('warehouse');
    expect(modeler.excess).toContain('delete everywhere');
    expect(modeler.beyond).toEqual(['read everywhere']);
    expect(modeler.sql).toContain(`grant select on "warehouse"."branch" to 'crease_reader'@'%'`);
    await connect('reading', { user: 'reader', password: 'reads' });
    expect(await rightsOf('reading')).toMatchObject({ excess: [], beyond: [] });
  });

  const order = (table: string, columns: object[], rest: object = {}): Model =>
    readModel(
      JSON.stringify({
        ...{ crease: 1, name: 'm' },
        tables: [{ name: table, role: 'fact', columns, ...rest }],
        measures: [{ name: 'N', formula: `count(${table})` }],
      }),
    );

  test('texts are apart by case, accents and spaces, whatever the collation of their column', async () => {
    const columns = [
      { name: 'code', type: 'text' },
      { name: 'n', type: 'integer' },
    ];
    const model = order('code_list', columns, { key: ['code'] });
    await openOn(mariadbEngine(server.place), { model }, async (on) => {
      const { rows } = await on.answer({ by: ['code_list.code'], measures: ['N'] });
      expect(rows).toEqual([
        ['A', 1],
        ['A ', 1],
        ['a', 1],
        ['á', 1],
      ]);
      expect(found(await on.judge('1970-01-01'), 'key-unique:code_list').verdict).toBe('holds');
    });
  });

  test('a text is a value, whatever stands in it', async () => {
    const model = order('code_list', [{ name: 'code', type: 'text' }]);
    const nasty = `a' or '1' = '1`;
    await openOn(mariadbEngine(server.place), { model }, async (on) => {
      for (const text of [nasty, `\\' or 1 = 1 -- `, '$1', '?', '"', '\\'])
        expect(
          (await on.answer({ measures: ['N'], filters: [{ column: 'code_list.code', in: [text] }] })).rows,
        ).toEqual([[0]]);
    });
  });

  test('small tables that are held here travel along', async () => {
    const model = readModel(
      JSON.stringify({
        ...{ crease: 1, name: 'm' },
        tables: [
          { name: 'loan', role: 'fact', columns: [{ name: 'branch_code', type: 'text' }] },
          {
            ...{ name: 'here', role: 'dimension', key: ['code'] },
            columns: [
              { name: 'code', type: 'text' },
              { name: 'opened', type: 'date' },
            ],
          },
        ],
        relationships: [
          {
            name: 'loan_here',
            from: { table: 'loan', columns: ['branch_code'] },
            to: { table: 'here', columns: ['code'] },
          },
        ],
        measures: [{ name: 'N', formula: 'count(loan)' }],
      }),
    );
    const here = tableOf('here', [
      columnOfValues('code', TEXT, ['A', 'b\\"']),
      columnOfValues('opened', DATE, [0, null]),
    ]);
    await openOn(mariadbEngine(server.place), { model, held: () => here }, async (on) => {
      const { rows } = await on.answer({ by: ['here.opened'], measures: ['N'] });
      expect(rows).toEqual([
        ['1970-01-01', 1],
        [null, 2],
      ]);
    });
  });

  test('a statement that takes too long is ended, and one that nobody waits for, also at the server', async () => {
    const engine = mariadbEngine(server.place);
    await engine.within(async (session) => {
      await session.endAfter(300);
      await expect(session.texts('select sleep(20)', [])).rejects.toMatchObject({
        reason: { code: 'limit' },
      });
      expect(await session.texts('select count(*) from branch', [])).toEqual([['2']]);
    });
    const controller = new AbortController();
    let after: Promise<unknown> | undefined;
    const waiting = engine.within(async (session) => {
      // Whoever goes on after a statement that was ended is ended as well.
      await session.texts('select sleep(19)', []).catch(() => undefined);
      await (after = session.texts('select 1', []));
    }, controller.signal);
    const isRunning = async () => {
      const [rows] = await server.connection.query(
        `select 1 from information_schema.processlist where info = 'select sleep(19)'`,
      );
      return (rows as unknown[]).length > 0;
    };
    while (!(await isRunning())) await new Promise((resume) => setTimeout(resume, 20));
    controller.abort();
    await expect(waiting).rejects.toThrow('cancelled');
    await expect(after).rejects.toThrow();
    while (await isRunning()) await new Promise((resume) => setTimeout(resume, 20));
  });

  test('nothing is written, and one state is seen until the end', async () => {
    await mariadbEngine(server.place).within(async (session) => {
      await expect(session.texts(`insert into branch values ('X', 'x')`, [])).rejects.toThrow(/READ ONLY/i);
      const rows = () => session.texts('select count(*) from branch', []);
      const before = await rows();
      await server.connection.query(`insert into branch values ('C', 'West')`);
      expect(await rows()).toEqual(before);
      await server.connection.query(`delete from branch where code = 'C'`);
    });
  });

  test('its tables are passed through: drafted, asked, and judged again when rows have changed', async () => {
    const model = await fixture.newModel('On MariaDB');
    const tables = ['branch', 'loan'].map((table) => ({ schema: 'warehouse', table }));
    await api()
      .post(`/api/models/${model}/passed-through`)
      .send({ connection: 'warehouse', tables })
      .expect(200);
    const { body } = await api().get(`/api/models/${model}/proposals`).expect(200);
    for (const p of (body as { proposals: Proposal[] }).proposals) {
      const { revision } = await fixture.stateOf(model);
      const edit = { base: revision.id, edit: p.edit, says: 'accepted' };
      await api().post(`/api/models/${model}/edits`).send(edit).expect(200);
    }
    expect((await fixture.stateOf(model)).model.relationships?.map((r) => r.name)).toEqual(['loan_branch']);
    const judged = async () => {
      for (;;) {
        const state = (await api().get(`/api/models/${model}/claims`).expect(200)).body as ClaimsState;
        if (state.done) return state.claims.find((c) => c.id === 'reference-filled:loan_branch');
        await new Promise((resume) => setTimeout(resume, 20));
      }
    };
    expect(await judged()).toMatchObject({ verdict: 'broken', evidence: { against: 1, checked: 3 } });
    const query = { measures: ['Loan rows'], by: ['branch.region'] };
    const answer = (await api().post(`/api/models/${model}/query`).send({ query }).expect(200))
      .body as Answer;
    expect(answer.rows).toEqual([
      ['North', 1],
      ['South', 1],
      [null, 1],
    ]);
    await server.connection.query('insert into loan (id) values (4)');
    await api().post(`/api/models/${model}/claims/judge`).send({}).expect(200);
    expect(await judged()).toMatchObject({ evidence: { against: 2, checked: 4 } });
  });
});
