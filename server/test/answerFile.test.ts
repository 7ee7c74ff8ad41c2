import { parquetReadObjects } from 'hyparquet';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import { libraryModel, released } from './releasedModel.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());

const bytesAt = async (path: string): Promise<ArrayBuffer> => {
  const answer = await fixture
    .api()
    .get(path)
    .buffer(true)
    .parse((response, done) => {
      const parts: Buffer[] = [];
      response.on('data', (part: Buffer) => parts.push(part));
      response.on('end', () => done(null, Buffer.concat(parts)));
    })
    .expect(200);
  const body = answer.body as Buffer;
  return body.buffer.slice(body.byteOffset, body.byteOffset + body.byteLength) as ArrayBuffer;
};

test('an answer is a file at an address: JSON, CSV, and Parquet that another reader reads', async () => {
  const id = await libraryModel(fixture, 'files');
  const query = {
    by: ['branch.town'],
    measures: ['Copies', 'Copies per cost'],
    filters: [{ top: 1, of: 'Copies', others: true }],
    totals: true,
  };
  const path = (as: string, of: object = query) =>
    `/api/models/${id}/answer?as=${as}&q=${encodeURIComponent(JSON.stringify(of))}`;
  const csv = await fixture.api().get(path('csv')).expect(200);
  expect([csv.type, csv.headers['content-disposition']]).toEqual([
    'text/csv',
    'attachment; filename=files.trial.csv',
  ]);
  expect(csv.text.split('\n')[0]).toBe('branch.town,Copies,Copies per cost');
  const json = await fixture.api().get(path('json')).expect(200);
  expect((json.body as { rows: unknown[] }).rows).toHaveLength(2);
  const rows = await parquetReadObjects({ file: await bytesAt(path('parquet')) });
  expect(rows).toEqual([
    { 'branch.town': "O'Town", Copies: 5n, 'Copies per cost': 5 / 30 },
    { 'branch.town': 'all others', Copies: 5n, 'Copies per cost': 5 / 40 },
  ]);
  // What is no value is null.
  const unmatched = {
    by: ['loan.cost'],
    measures: ['Copies'],
    filters: [{ top: 1, of: 'Copies', others: true }],
  };
  const others = await parquetReadObjects({ file: await bytesAt(path('parquet', unmatched)) });
  expect(others.map((row) => row['loan.cost'])).toContain(null);
  await fixture.api().get(`/api/models/${id}/answer?q=%7Bnot`).expect(400);
  await fixture
    .api()
    .get(path('csv', { measures: ['Nothing'] }))
    .expect(422);
  await released(fixture, id);
  const kept = await bytesAt(`/api/released/${id}/Desk/trials/By%20town?as=parquet`);
  expect(await parquetReadObjects({ file: kept })).toEqual([
    { 'branch.town': "O'Town", Copies: 5n },
    { 'branch.town': 'Pier', Copies: 5n },
  ]);
});

test('the catalogue of the head has verdicts and weights; a model without anything has one, too', async () => {
  const id = await libraryModel(fixture, 'catalogue');
  const page = await fixture.api().get(`/api/models/${id}/release/catalogue`).expect(200);
  expect([page.type, page.headers['content-disposition']]).toEqual([
    'text/html',
    'attachment; filename="catalogue.html"',
  ]);
  expect(page.text).toMatch(/\d+ claims: \d+ hold/);
  expect(page.text).toContain('id="storage"');
  expect(page.text).not.toContain("O'Town");
  const text = await fixture.api().get(`/api/models/${id}/release/catalogue?as=md`).buffer(true).expect(200);
  expect(text.type).toBe('text/markdown');
  const empty = await fixture.newModel('Nothing yet');
  await fixture.api().get(`/api/models/${empty}/release/catalogue`).expect(200);
});
