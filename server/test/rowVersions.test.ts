import Database from 'better-sqlite3';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ClaimsState, LoadsState, ModelState, UndoState } from '@crease/contract';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import { clockOf } from '../src/clock.ts';
import { lockHolder, lockWorkspace, makeApp, serve, Workspace } from '../src/index.ts';
import request from 'supertest';

let fixture: ApiFixture;
beforeAll(async () => {
  fixture = await startApi();
});
afterAll(() => fixture.close());

const api = () => fixture.api();
const OURS = 'window-one';
const THEIRS = 'window-two';

async function loadText(model: number, name: string, text: string, more: object = {}, tab = OURS) {
  const upload = await fixture.upload(`${name}.csv`, text);
  const order = { ...(await fixture.orderOf(upload, name)), ...more };
  const { body } = await api()
    .post(`/api/models/${model}/intake`)
    .set('x-crease-tab', tab)
    .send({ tables: [order] })
    .expect(200);
  return fixture.settled(body as never);
}

const step = async (model: number, way: 'undo' | 'redo', tab = OURS) => {
  const { revision } = await fixture.stateOf(model);
  return api().post(`/api/models/${model}/${way}`).set('x-crease-tab', tab).send({ base: revision.id });
};

async function judged(model: number): Promise<ClaimsState> {
  for (;;) {
    const state = (await api().get(`/api/models/${model}/claims`).expect(200)).body as ClaimsState;
    if (state.done || state.failure) return state;
    await new Promise((resume) => setTimeout(resume, 20));
  }
}

const [FIRST, SECOND] = ['id,n\n1,10\n2,20\n3,30\n', 'id,n\n1,11\n'];

test('undo of a load brings back the rows of before, redo those of after, and both say so first', async () => {
  const model = await fixture.newModel();
  await loadText(model, 'loan', FIRST);
  await loadText(model, 'loan', SECOND);
  expect(await fixture.rowsOf(model, 'loan')).toEqual([[1, 11]]);
  const { body: told } = await api().get(`/api/models/${model}/undo`).set('x-crease-tab', OURS).expect(200);
  expect(told as UndoState).toEqual({
    possible: true,
    says: 'loaded loan',
    rows: [{ table: 'loan', now: 1, then: 3 }],
  });
  expect((await step(model, 'undo')).status).toBe(200);
  expect(await fixture.rowsOf(model, 'loan')).toEqual([[1, 10], [2, 20], [3, 30]]); // oxfmt-ignore
  expect((await step(model, 'undo')).status).toBe(200);
  expect((await fixture.stateOf(model)).stored).toEqual([]);
  expect((await fixture.stateOf(model)).model.tables).toEqual([]);
  await step(model, 'redo');
  await step(model, 'redo');
  expect(await fixture.rowsOf(model, 'loan')).toEqual([[1, 11]]);
});

test('an edit between two loads is undone without touching rows', async () => {
  const model = await fixture.newModel();
  await loadText(model, 'loan', FIRST);
  const { revision } = await fixture.stateOf(model);
  const edit = [{ do: 'set-table', table: 'loan', change: { title: 'Loans' } }];
  await api()
    .post(`/api/models/${model}/edits`)
    .set('x-crease-tab', OURS)
    .send({ base: revision.id, edit, says: 'a title' })
    .expect(200);
  const { body } = await api().get(`/api/models/${model}/undo`).set('x-crease-tab', OURS);
  expect((body as UndoState).rows).toEqual([]);
  await step(model, 'undo');
  expect(await fixture.rowsOf(model, 'loan')).toHaveLength(3);
});

test('undo is for own acts; a load by somebody else is reverted by name, the newest of a table first', async () => {
  const model = await fixture.newModel();
  await loadText(model, 'loan', FIRST, {}, OURS);
  await loadText(model, 'loan', SECOND, {}, THEIRS);
  const refused = await step(model, 'undo', OURS);
  expect([refused.status, (refused.body as { code: string }).code]).toEqual([409, 'not-yours']);
  expect(await fixture.rowsOf(model, 'loan')).toHaveLength(1);

  const loads = async () => (await api().get(`/api/models/${model}/loads`).expect(200)).body as LoadsState;
  const [newest, oldest] = (await loads()).log;
  const early = await api().post(`/api/models/${model}/loads/${oldest!.id}/revert`);
  expect([early.status, (early.body as { message: string }).message]).toEqual([
    422,
    expect.stringContaining('revert the later load'),
  ]);
  await api().post(`/api/models/${model}/loads/${newest!.id}/revert`).set('x-crease-tab', OURS).expect(200);
  expect(await fixture.rowsOf(model, 'loan')).toHaveLength(3);
  expect((await loads()).log.map((l) => l.reverted !== undefined)).toEqual([true, false]);
  // A revert is an act like any other.
  await step(model, 'undo');
  expect(await fixture.rowsOf(model, 'loan')).toHaveLength(1);
});

test('rows that have been removed cannot be come back to, and that is said', async () => {
  const model = await fixture.newModel();
  await loadText(model, 'loan', FIRST);
  await loadText(model, 'loan', SECOND);
  const { body } = await api().get(`/api/models/${model}/loads`);
  expect((body as LoadsState).kept).toMatchObject({ versions: 1 });
  await api().delete(`/api/models/${model}/old-rows`).expect(200);
  const refused = await step(model, 'undo');
  expect([refused.status, (refused.body as { code: string }).code]).toEqual([409, 'rows-gone']);
  expect(await fixture.rowsOf(model, 'loan')).toEqual([[1, 11]]);
});

test('versions of before are kept by the rule of the workspace', () => {
  const now = { at: new Date('2026-01-01T00:00:00Z') };
  const workspace = new Workspace(
    join(fixture.folder, 'rule.sqlite'),
    { error: () => undefined },
    {
      keyFile: join(fixture.folder, 'elsewhere', 'key'),
      clock: clockOf(() => now.at),
    },
  );
  const { tables, models } = workspace;
  const id = models.create({ crease: 1, name: 'm', tables: [] }, 'began');
  const begin = () => {
    const made = tables.begin(id, 'a', { rowCount: 0, problems: [], firstLine: 1, lines: undefined });
    tables.finish(made, new Map());
  };
  for (let i = 0; i < 15; i++) {
    now.at = new Date(now.at.getTime() + 86_400_000);
    begin();
  }
  expect(tables.rows.keptOf(id).versions).toBe(14);
  tables.rows.prune(id, { versions: 3, days: 5, bytes: 1e9 });
  expect(tables.rows.keptOf(id).versions).toBe(6);
  tables.rows.prune(id, { versions: 3, days: 0, bytes: 1e9 });
  expect(tables.rows.keptOf(id).versions).toBe(3);
  return workspace.close();
});

test('a second load of a table at once is refused, and the first one goes well', async () => {
  const model = await fixture.newModel();
  const rows = Array.from({ length: 30_000 }, (_, i) => `${i},${i % 7}`).join('\n');
  const [one, two] = [
    await fixture.upload('loan.csv', `id,n\n${rows}\n`),
    await fixture.upload('loan.csv', SECOND),
  ];
  const orders = [await fixture.orderOf(one, 'loan'), await fixture.orderOf(two, 'loan')];
  const first = await api()
    .post(`/api/models/${model}/intake`)
    .send({ tables: [orders[0]] })
    .expect(200);
  const second = await api()
    .post(`/api/models/${model}/intake`)
    .send({ tables: [orders[1]] });
  expect([second.status, (second.body as { code: string }).code]).toEqual([503, 'busy']);
  expect(await fixture.settled(first.body as never)).toMatchObject({ state: 'done' });
  expect((await fixture.stateOf(model)).stored[0]!.rows).toBe(30_000);
  // When it has ended, the table can be loaded again.
  expect(await fixture.load(model, [orders[1]!])).toMatchObject({ state: 'done' });
});

test('tables of one load become visible together, and of one that fails those before it', async () => {
  const model = await fixture.newModel();
  const a = await fixture.orderOf(await fixture.upload('a.csv', FIRST), 'a');
  const b = await fixture.orderOf(await fixture.upload('b.csv', 'x\nnine\n'), 'b');
  const wrong = { ...b, misfits: 'stop', columns: [{ name: 'x', fileName: 'x', place: 0, type: 'integer' }] };
  const job = await fixture.load(model, [a, wrong]);
  expect(job).toMatchObject({ state: 'failed', faults: [expect.stringContaining('b: ')] });
  const state = await fixture.stateOf(model);
  expect(state.model.tables.map((t) => t.name)).toEqual(['a']);
  expect(state.stored.map((s) => s.name)).toEqual(['a']);
  expect(state.revision.number).toBe(2);
});

test('definitions are released for the head and the rows that are there, and for nothing older', async () => {
  const model = await fixture.newModel();
  await loadText(model, 'loan', FIRST);
  await judged(model);
  await api().get(`/api/models/${model}/release/ddl`).expect(200);
  // Rows that change behind the queue's back: the old verdicts do not count.
  const { tables } = fixture.workspace;
  const id = tables.begin(model, 'loan.csv', { rowCount: 0, problems: [], firstLine: 1, lines: undefined });
  tables.finish(id, new Map());
  const refused = await api().get(`/api/models/${model}/release/ddl`);
  expect([refused.status, (refused.body as { code: string }).code]).toEqual([409, 'blocked']);
  await judged(model);
});

test('a judging run that fails says what failed, and can be tried again', async () => {
  const model = await fixture.newModel();
  await loadText(model, 'loan', FIRST);
  const { pool } = fixture.workspace;
  const start = pool.start.bind(pool);
  pool.start = () => ({ done: Promise.reject(new Error('a thread is gone')), stop: () => undefined });
  await api().post(`/api/models/${model}/claims/judge`).expect(200);
  const failed = await judged(model);
  expect(failed).toMatchObject({ done: false, failure: 'a thread is gone' });
  const { body } = await api().get(`/api/models/${model}/release/ddl`).expect(409);
  expect((body as { message: string }).message).toContain('a thread is gone');
  // The list of models says so too: nobody waits for verdicts that do not come.
  const { body: list } = await api().get('/api/models').expect(200);
  expect((list as { id: number; claims?: object }[]).find((m) => m.id === model)?.claims).toMatchObject({
    done: false,
    failure: 'a thread is gone',
  });
  pool.start = start;
  await api().post(`/api/models/${model}/claims/judge`).expect(200);
  expect(await judged(model)).toMatchObject({ done: true });
});

test('a model is deleted while it is judged, and the server goes on', async () => {
  for (let i = 0; i < 3; i++) {
    const model = await fixture.newModel();
    const rows = Array.from({ length: 20_000 }, (_, k) => `${k},${k % 11},${k % 3}`).join('\n');
    await loadText(model, 'loan', `id,a,b\n${rows}\n`);
    await api().delete(`/api/models/${model}`).expect(200);
    await api().get(`/api/models/${model}/claims`).expect(404);
  }
  await api().get('/api/models').expect(200);
  expect(fixture.logged.filter((line) => line.includes('FOREIGN KEY'))).toEqual([]);
});

test('the day is part of what a verdict rests on, and waivers end by the local day', async () => {
  const at = { now: new Date(2026, 5, 30, 23, 59) };
  const workspace = new Workspace(
    join(fixture.folder, 'clock.sqlite'),
    { error: () => undefined },
    {
      keyFile: join(fixture.folder, 'elsewhere', 'key'),
      clock: clockOf(() => at.now),
    },
  );
  try {
    const app = request(makeApp(workspace));
    const model = workspace.models.create(
      {
        crease: 1,
        name: 'm',
        tables: [],
        measures: [{ name: 'A', formula: 'nothing' }],
        waivers: [{ claim: { kind: 'formula-valid', measure: 'A' }, reason: 'soon', until: '2026-06-30' }],
      },
      'began',
    );
    const verdict = async () => {
      for (;;) {
        const { body } = await app.get(`/api/models/${model}/claims`);
        if ((body as ClaimsState).done)
          return (body as ClaimsState).claims.find((c) => c.id === 'formula-valid:A')!.verdict;
        await new Promise((resume) => setTimeout(resume, 20));
      }
    };
    expect(await verdict()).toBe('waived');
    at.now = new Date(2026, 6, 1, 0, 1);
    expect(await verdict()).toBe('broken');
    expect(workspace.task(model).day).toBe('2026-07-01');
  } finally {
    await workspace.close();
  }
  // It starts threads of its own, as the fixture does.
});

test('a model that cannot be read breaks no list, and an edited file is read into its model', async () => {
  const [good, bad] = [await fixture.newModel('Good'), await fixture.newModel('Bad')];
  fixture.workspace.db.prepare(`update revision set document = '{"crease": 99}' where model_id = ?`).run(bad);
  const { body } = await api().get('/api/models').expect(200);
  const list = body as { id: number; fault?: string }[];
  expect(list.find((m) => m.id === bad)!.fault).toMatch(/\S/);
  expect(list.find((m) => m.id === good)!.fault).toBeUndefined();
  fixture.workspace.models.remove(bad);

  await loadText(good, 'loan', FIRST);
  const exported = (await api().get(`/api/models/${good}/release/model`).expect(200)).text;
  const before = await fixture.stateOf(good);
  const text = exported.replace('"title": "Good"', '"title": "Better"');
  const { body: after } = await api()
    .post(`/api/models/${good}/import`)
    .send({ base: before.revision.id, text })
    .expect(200);
  expect((after as ModelState).model.title).toBe('Better');
  expect((after as ModelState).revision.number).toBe(before.revision.number + 1);
  expect(await fixture.rowsOf(good, 'loan')).toHaveLength(3);
});

test('an edit that changes nothing makes no revision', async () => {
  const model = await fixture.newModel('Same');
  const { revision } = await fixture.stateOf(model);
  const edit = [{ do: 'set-model', change: { title: 'Same' } }];
  const { body } = await api()
    .post(`/api/models/${model}/edits`)
    .send({ base: revision.id, edit, says: 'the same title' })
    .expect(200);
  expect((body as ModelState).revision.id).toBe(revision.id);
});

describe('one process writes a workspace', () => {
  const path = (name: string) => join(fixture.folder, name);

  test('the second server names the first, and touches nothing', async () => {
    const file = path('two.sqlite');
    const first = await serve({ workspace: file, port: 0, quiet: true });
    try {
      const holder = lockHolder(file)!;
      expect(holder).toMatchObject({ pid: process.pid, address: first.address });
      await expect(serve({ workspace: file, port: 0, quiet: true })).rejects.toThrow(/open in/);
      expect(lockHolder(file)!.token).toBe(holder.token);
    } finally {
      await first.close();
    }
    expect(lockHolder(file)).toBeUndefined();
  });

  test('a port that is taken is said before the workspace is touched', async () => {
    const first = await serve({ workspace: path('one.sqlite'), port: 0, quiet: true });
    try {
      const port = Number(new URL(first.address).port);
      await expect(serve({ workspace: path('other.sqlite'), port, quiet: true })).rejects.toMatchObject({
        code: 'EADDRINUSE',
      });
      expect(lockHolder(path('other.sqlite'))).toBeUndefined();
    } finally {
      await first.close();
    }
  });

  test('a lock whose process is gone is taken over, also one that is cut short', () => {
    const file = path('left.sqlite');
    for (const text of [
      '{"pid":999999999,"started":"1","token":"x"}',
      '{"pid":99',
      `{"pid":${process.ppid},"started":"never","token":"x"}`,
    ]) {
      writeFileSync(`${file}.lock`, text);
      const lock = lockWorkspace(file);
      expect(lockHolder(file)!.token).toBe(lock.token);
      lock.release();
    }
  });

  test('a database of something else is no workspace, and stays as it is', () => {
    const file = path('foreign.sqlite');
    const db = new Database(file);
    db.exec('create table customer (id integer)');
    db.close();
    expect(() => new Workspace(file, { error: () => undefined })).toThrow(/something else/);
    const again = new Database(file);
    expect(again.prepare("select name from sqlite_master where type = 'table'").pluck().all()).toEqual([
      'customer',
    ]);
    again.close();
    writeFileSync(path('text.sqlite'), 'not a database at all, but long enough to look like one'.repeat(200));
    expect(() => new Workspace(path('text.sqlite'), { error: () => undefined })).toThrow(/cannot be opened/);
  });
});
