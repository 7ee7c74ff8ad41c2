import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import request from 'supertest';
import type { ClaimsState, JobState, ModelState, PreviewState, RowPage } from '@crease/contract';
import type { Edit } from '@crease/core/edit';
import { clockOf } from '../src/clock.ts';
import { makeApp, Workspace } from '../src/index.ts';
import { startThreads } from './startThreads.ts';

/** A server over an empty workspace, asked through its routes. */
export interface ApiFixture {
  /** A folder of its own, with the workspace and the key of its passwords. */
  readonly folder: string;
  readonly workspace: Workspace;
  /** What went to the log. */
  readonly logged: string[];
  api(): ReturnType<typeof request>;
  /** The body of an answer of that status; throws what was answered instead. */
  post<T>(path: string, body: object, status?: number): Promise<T>;
  get<T>(path: string): Promise<T>;
  newModel(title?: string): Promise<number>;
  /** Gives the id of what was sent. */
  upload(name: string, text: string | Buffer): Promise<string>;
  look(upload: string): Promise<PreviewState['preview']>;
  /** The order to store what came, as its preview proposes. */
  orderOf(upload: string, name: string): Promise<object>;
  /** Orders a load and waits for its end. */
  load(model: number, tables: readonly object[], dryRun?: boolean): Promise<JobState>;
  settled(job: JobState): Promise<JobState>;
  stateOf(model: number): Promise<ModelState>;
  rowsOf(model: number, table: string): Promise<RowPage['rows']>;
  /** The claims of a model once all are judged, or could not be. */
  judged(model: number): Promise<ClaimsState>;
  /** Edits the newest revision. */
  edit(model: number, acts: Edit): Promise<void>;
  close(): Promise<void>;
}

const POLL_MS = 10;

/** `now` sets the clock. */
export async function startApi({ now }: { now?: () => Date } = {}): Promise<ApiFixture> {
  const folder = mkdtempSync(join(tmpdir(), 'crease-api-'));
  const logged: string[] = [];
  const log = {
    error: (details: object, message: string) => void logged.push(`${message} ${JSON.stringify(details)}`),
  };
  const workspace = new Workspace(join(folder, 'w.sqlite'), log, {
    keyFile: join(folder, 'elsewhere', 'key'),
    afterPlanFile: join(folder, 'elsewhere', 'after-plan.json'),
    ...(now ? { clock: clockOf(now) } : {}),
  });
  const app = makeApp(workspace, undefined, { checksAnswers: true });
  await startThreads(workspace, folder);
  const api = () => request(app);
  const post = async <T>(path: string, body: object, status = 200): Promise<T> => {
    const answer = await api().post(path).send(body);
    if (answer.status !== status) throw new Error(`${path}: ${answer.status} ${JSON.stringify(answer.body)}`);
    return answer.body as T;
  };
  const get = async <T>(path: string): Promise<T> => (await api().get(path).expect(200)).body as T;
  const look: ApiFixture['look'] = async (upload) =>
    (await post<PreviewState>(`/api/uploads/${upload}/preview`, {})).preview;
  const settled: ApiFixture['settled'] = async (job) => {
    let state = job;
    while (state.state === 'running') {
      await new Promise((resume) => setTimeout(resume, POLL_MS));
      state = await get<JobState>(`/api/jobs/${job.id}`);
    }
    return state;
  };
  return {
    folder,
    workspace,
    logged,
    api,
    post,
    get,
    look,
    settled,
    newModel: async (title = 'Small') => (await post<{ id: number }>('/api/models', { title })).id,
    upload: async (name, text) => {
      const sent = api()
        .post(`/api/uploads?name=${name}`)
        .set('content-type', 'application/octet-stream')
        .send(text);
      return ((await sent.expect(200)).body as { id: string }).id;
    },
    orderOf: async (upload, name) => {
      const { columns, dialect } = await look(upload);
      return {
        upload,
        name,
        dialect,
        columns: columns.map((c) => ({
          name: c.name,
          fileName: c.fileName,
          place: c.place,
          type: c.type.kind === 'decimal' ? `decimal(${c.type.precision},${c.type.scale})` : c.type.kind,
          ...(c.pattern ? { pattern: c.pattern } : {}),
        })),
      };
    },
    load: async (model, tables, dryRun = false) =>
      settled(await post<JobState>(`/api/models/${model}/intake`, { tables, dryRun })),
    stateOf: (model) => get<ModelState>(`/api/models/${model}`),
    rowsOf: async (model, table) =>
      (await get<RowPage>(`/api/models/${model}/tables/${encodeURIComponent(table)}/rows`)).rows,
    judged: async (model) => {
      for (;;) {
        const state = await get<ClaimsState>(`/api/models/${model}/claims`);
        if (state.done || state.failure !== undefined) return state;
        await new Promise((resume) => setTimeout(resume, POLL_MS));
      }
    },
    edit: async (model, acts) => {
      const { revision } = await get<ModelState>(`/api/models/${model}`);
      const body = { base: revision.id, edit: acts, says: 'edited by a test' };
      await post(`/api/models/${model}/edits`, body);
    },
    close: async () => {
      await workspace.close();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
