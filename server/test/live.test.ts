import { mkdtempSync, rmSync } from 'node:fs';
import { request as httpRequest } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { JobState, LiveEvent, ModelState } from '@crease/contract';
import type { Served } from '../src/index.ts';
import { serve } from '../src/index.ts';
import { startThreads } from './startThreads.ts';

let folder: string;
let served: Served;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'crease-live-'));
  served = await serve({ workspace: join(folder, 'w.sqlite'), port: 0, quiet: true, checksAnswers: true });
  await startThreads(served.workspace, folder);
});
afterAll(async () => {
  await served.close();
  rmSync(folder, { recursive: true, force: true });
});

const call = async <T>(path: string, body?: unknown, method = 'POST'): Promise<T> => {
  const response = await fetch(
    `${served.address}/api${path}`,
    body === undefined
      ? { method: method === 'POST' ? 'GET' : method }
      : {
          method,
          headers: { 'content-type': 'application/json', 'x-crease-tab': 'mine' },
          body: JSON.stringify(body),
        },
  );
  return (await response.json()) as T;
};

/** Listens to a model's events until it is closed. */
function listen(model: number): {
  events: LiveEvent[];
  until: (what: (e: LiveEvent) => boolean) => Promise<LiveEvent>;
  close: () => void;
} {
  const events: LiveEvent[] = [];
  const waiting: { what: (e: LiveEvent) => boolean; found: (e: LiveEvent) => void }[] = [];
  const request = httpRequest(`${served.address}/api/models/${model}/events`, (response) => {
    response.setEncoding('utf8').on('data', (text: string) => {
      for (const line of text.split('\n').filter((l) => l.startsWith('data: '))) {
        const event = JSON.parse(line.slice(6)) as LiveEvent;
        events.push(event);
        waiting.filter((w) => w.what(event)).forEach((w) => w.found(event));
      }
    });
  });
  request.on('error', () => undefined); // it is torn down at the end
  request.end();
  return {
    events,
    until: (what) =>
      new Promise((found) => (events.find(what) ? found(events.find(what)!) : waiting.push({ what, found }))),
    close: () => request.destroy(),
  };
}

test('an edit is told to everybody who shows the model, with who made it and the claims after it', async () => {
  const { id } = await call<{ id: number }>('/models', { title: 'Live' });
  const live = listen(id);
  const { revision } = await call<ModelState>(`/models/${id}`);
  await new Promise((resume) => setTimeout(resume, 100));
  const after = await call<ModelState>(`/models/${id}/edits`, {
    base: revision.id,
    edit: [{ do: 'put-measures', name: null, value: { name: 'One', formula: '1 +' } }],
    says: 'a measure',
  });
  expect(await live.until((e) => e.kind === 'revision')).toEqual({
    kind: 'revision',
    revision: after.revision.id,
    says: 'a measure',
    by: 'mine',
  });
  const claims = await live.until((e) => e.kind === 'claims' && e.done && e.revision === after.revision.id);
  expect(claims).toMatchObject({ summary: { broken: 1, unchecked: expect.any(Number) as number } });
  live.close();
});

test('a load tells its progress, can be cancelled, and then has stored nothing', async () => {
  const { id } = await call<{ id: number }>('/models', { title: 'Cancelled' });
  const live = listen(id);
  const lines = Array.from({ length: 400_000 }, (_, i) => `${i},value ${i},${i % 7}`).join('\n');
  const upload = (await (
    await fetch(`${served.address}/api/uploads?name=long.csv`, {
      method: 'POST',
      headers: { 'content-type': 'application/octet-stream' },
      body: `id,text,n\n${lines}\n`,
    })
  ).json()) as { id: string };
  const columns = ['id', 'text', 'n'].map((name) => ({
    name,
    fileName: name,
    type: name === 'text' ? 'text' : 'integer',
  }));
  const tables = [
    {
      upload: upload.id,
      name: 'long',
      dialect: { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' },
      columns,
    },
  ];
  const job = await call<JobState>(`/models/${id}/intake`, { tables });
  await live.until((e) => e.kind === 'job' && e.job.progress > 0);
  await fetch(`${served.address}/api/jobs/${job.id}`, { method: 'DELETE' });
  const ended = await live.until((e) => e.kind === 'job' && e.job.state !== 'running');
  // A machine may be so quick that the load is through before the word arrives: then it is whole.
  const { model, stored } = await call<ModelState>(`/models/${id}`);
  if (ended.kind === 'job' && ended.job.state === 'cancelled')
    expect([model.tables, stored]).toEqual([[], []]);
  else expect(stored).toMatchObject([{ name: 'long', rows: 400_000 }]);

  // The file is still here: the same load can be started again, and comes to its end.
  if (stored.length === 0) {
    await call<JobState>(`/models/${id}/intake`, { tables });
    await live.until((e) => e.kind === 'job' && e.job.state === 'done');
    expect((await call<ModelState>(`/models/${id}`)).stored).toMatchObject([{ name: 'long', rows: 400_000 }]);
  }
  live.close();
});

test('the screens are served for every address, and files that are not there are not', async () => {
  const page = await fetch(`${served.address}/m/1/stars`);
  expect([page.status, page.headers.get('content-security-policy')?.includes("default-src 'self'")]).toEqual([
    200,
    true,
  ]);
  expect(await page.text()).toContain('<div id="root">');
});

test('a port that is taken is told', async () => {
  await expect(
    serve({
      workspace: join(folder, 'other.sqlite'),
      port: Number(new URL(served.address).port),
      quiet: true,
    }),
  ).rejects.toMatchObject({ code: 'EADDRINUSE' });
});
