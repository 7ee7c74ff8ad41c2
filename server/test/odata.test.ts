import { join } from 'node:path';
import { OData, transformation } from '@odata/client';
import request from 'supertest';
import { serveReadingRoom } from '../src/index.ts';
import type { Served } from '../src/serve.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import { edited, libraryModel, loadLoans, LOANS, released } from './releasedModel.ts';

// Released models are read over OData by a client of others, and by hand where that says too little.

let fixture: ApiFixture;
let served: Omit<Served, 'workspace'>;
beforeAll(async () => {
  fixture = await startApi();
  served = await serveReadingRoom({ workspace: join(fixture.folder, 'w.sqlite'), port: 0, quiet: true });
});
afterAll(async () => {
  await served.close();
  await fixture.close();
});
const root = (id: number | string) => `/odata/${id}/Desk/`;
const get = (path: string) => request(served.address).get(path);
interface Body {
  readonly value: readonly Record<string, unknown>[];
  readonly '@odata.nextLink'?: string;
  readonly error?: { readonly code: string; readonly message: string };
}
const valueOf = async (path: string) => ((await get(path).expect(200)).body as Body).value;

test('a client of others reads tables, one entity, a count, and answers', async () => {
  const id = await libraryModel(fixture, 'client');
  await released(fixture, id);
  const client = OData.New4({ serviceEndpoint: `${served.address}${root(id)}`, processCsrfToken: false });
  const branches = client.getEntitySet<{ branch: number; town: string }>('branch');
  expect(await branches.query()).toEqual([
    { branch: 1, town: "O'Town" },
    { branch: 2, town: 'Pier' },
  ]);
  expect(await branches.retrieve(2)).toMatchObject({ town: 'Pier' });
  expect(await branches.query(client.newFilter().property('town').eq("'O''Town'"))).toHaveLength(1);
  const loans = client.getEntitySet<{ no: number; copies: number }>('loan');
  expect(await loans.count()).toBe(3);
  const options = client.newOptions().orderby('copies', 'desc').top(2).select(['no', 'copies']);
  expect(await loans.query(options)).toEqual([
    { no: 3, copies: 5 },
    { no: 2, copies: 3 },
  ]);
  const grouped = transformation().groupBy(['branch_town'], transformation().aggregate('Copies'));
  const answers = client.getEntitySet<{ branch_town: string; Copies: number }>('answers');
  expect(await answers.query(client.newOptions().apply(grouped))).toEqual([
    { branch_town: "O'Town", Copies: 5 },
    { branch_town: 'Pier', Copies: 5 },
  ]);
});

test('each perspective is a service: versions, formats, and what is shown alone', async () => {
  const id = await libraryModel(fixture, 'versions');
  await released(fixture, id);
  const document = await get(root(id)).expect(200);
  expect(document.headers['odata-version']).toBe('4.01');
  expect(document.headers['content-type']).toBe('application/json; odata.metadata=minimal; charset=utf-8');
  expect((document.body as Body).value.map((set) => set['name'])).toEqual(['loan', 'branch', 'answers']);
  // Without the last slash, too.
  await get(`/odata/${id}/Desk`).expect(200);
  const metadata = await get(`${root(id)}$metadata`)
    .set('odata-maxversion', '4.0')
    .expect(200);
  expect([metadata.headers['odata-version'], metadata.type]).toEqual(['4.0', 'application/xml']);
  expect(metadata.text).toContain('Version="4.0"');
  expect(metadata.text).toContain('String="Copies lent"');
  expect(metadata.text).not.toMatch(/"cost"|secret|"Cost"/);
  expect((await get(`${root('versions')}loan/$count`).expect(200)).text).toBe('3');
  for (const path of ['loan?$filter=cost gt 1', 'loan?$select=cost', 'answers?$apply=aggregate(Cost)']) {
    const { error } = (await get(root(id) + path).expect(400)).body as Body;
    expect([path, error!.message]).toEqual([path, 'this cannot be answered from what is shown here']);
  }
  for (const [path, status] of [
    ['/odata/', 404],
    ['/odata/nothing/Desk/', 404],
    [`/odata/${id}/Nobody/`, 404],
    [`${root(id)}nothing`, 404],
    [`${root(id)}loan?$expand=branch`, 501],
    [`${root(id)}loan?$filter=no eq 'x'`, 400],
  ] as const) {
    const answer = await get(path);
    expect([path, answer.status, typeof (answer.body as Body).error?.message]).toEqual([
      path,
      status,
      'string',
    ]);
  }
  const head = await request(served.address)
    .head(`${root(id)}loan`)
    .expect(200);
  expect(head.headers['odata-version']).toBe('4.01');
  for (const method of ['post', 'put', 'patch', 'delete'] as const) {
    const asked = request(served.address);
    const answer = await asked[method](`${root(id)}loan`).send({ no: 4 });
    expect([method, answer.status, answer.headers['allow']]).toEqual([method, 405, 'GET, HEAD']);
  }
  expect(await valueOf(`${root(id)}loan`)).toHaveLength(3);
});

test('pages keep to the release that they began with, and end where it is given up', async () => {
  const id = await libraryModel(fixture, 'pages');
  const first = await released(fixture, id);
  const begun = await get(`${root(id)}loan?$select=no&$count=true`)
    .set('prefer', 'odata.maxpagesize=2')
    .expect(200);
  const { value, '@odata.nextLink': next } = begun.body as Body;
  expect([value, begun.headers['preference-applied']]).toEqual([[{ no: 1 }, { no: 2 }], 'maxpagesize=2']);
  await loadLoans(fixture, id, 'no,branch,day,copies,cost\n7,1,2026-01-05,1,1\n');
  await released(fixture, id);
  expect(await valueOf(`${root(id)}loan?$select=no`)).toEqual([{ no: 7 }]);
  const rest = next!.slice(served.address.length);
  expect(await valueOf(rest)).toEqual([{ no: 3 }]);
  await fixture.api().delete(`/api/models/${id}/releases/${first.id}`).expect(200);
  expect((await get(rest)).status).toBe(410);
});

test('a model without perspectives is one service, and the workbench serves it as well', async () => {
  const id = await libraryModel(fixture, 'whole');
  await edited(fixture, id, [{ do: 'remove-perspectives', name: 'Desk' }]);
  await loadLoans(fixture, id, LOANS);
  await released(fixture, id);
  const path = `/odata/${id}/whole/answers?$apply=${encodeURIComponent("filter(branch_town eq 'Pier')/aggregate(Cost)")}`;
  expect(await valueOf(path)).toEqual([{ Cost: 40 }]);
  const own = await fixture.api().get(path).expect(200);
  expect((own.body as Body).value).toEqual([{ Cost: 40 }]);
});
