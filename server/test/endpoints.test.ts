import * as z from 'zod';
import { endpoint, ENDPOINTS, openApi } from '@crease/contract';
import express, { Router } from 'express';
import request from 'supertest';
import type { Serve } from '../src/routes/serve.ts';
import { serving } from '../src/routes/serve.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import { routesOf } from './torture/requests.ts';
import { makeApp } from '../src/index.ts';

let fixture: ApiFixture;
beforeAll(async () => {
  fixture = await startApi();
});
afterAll(() => fixture.close());

test('the server serves what the contract has, and nothing else', () => {
  const served = routesOf(makeApp(fixture.workspace)).map(({ method, path }) => `${method} ${path}`);
  const known = ENDPOINTS.map(([, { method, path }]) => `${method} ${path}`);
  expect(served.sort()).toEqual([...known, 'GET /openapi.json'].sort());
});

test('it tells its interface as an OpenAPI document', async () => {
  const { body } = await fixture.api().get('/api/openapi.json').expect(200);
  expect(body).toEqual(JSON.parse(JSON.stringify(openApi())));
});

describe('an endpoint', () => {
  const twice = endpoint({
    method: 'POST',
    path: '/models/:id/twice',
    says: 'Doubles a number',
    search: z.strictObject({ plus: z.coerce.number<number | string>().int().default(0) }),
    request: z.strictObject({ n: z.int() }),
    answer: z.strictObject({ twice: z.int() }),
  });
  const asked = (checksAnswers: boolean, routes: (serve: Serve) => void) => {
    const router = Router();
    routes(serving(router, checksAnswers));
    return request(
      express()
        .use(express.json())
        .use(router)
        .use(
          ((error: Error, _request, response, _next) =>
            void response.status(500).json({ message: error.message })) as express.ErrorRequestHandler,
        ),
    );
  };
  const doubling = (serve: Serve) =>
    serve(twice, ({ body, search, params }) => ({ twice: 2 * body.n + search.plus + params.id }));

  test('has its path, its parameters and its body by their types', async () => {
    const { body } = await asked(true, doubling).post('/models/100/twice?plus=5').send({ n: 4 }).expect(200);
    expect(body).toEqual({ twice: 113 });
  });

  test.each([
    ['/models/x/twice', { n: 1 }, /"x" is no model/],
    ['/models/1/twice', { n: 1, m: 2 }, /m/],
    ['/models/1/twice', { n: 1.5 }, /request\.n/],
    ['/models/1/twice?plus=many', { n: 1 }, /request\.plus/],
    ['/models/1/twice?minus=1', { n: 1 }, /minus/],
  ])('refuses %s with %j', async (path, sent, message) => {
    const { body } = await asked(true, doubling).post(path).send(sent).expect(500);
    expect((body as { message: string }).message).toMatch(message);
  });

  test('that answers what its schema does not have is found by the tests', async () => {
    const wrong = (serve: Serve) => serve(twice, () => ({ twice: 'many' }) as unknown as { twice: number });
    const { body } = await asked(true, wrong).post('/models/1/twice').send({ n: 1 }).expect(500);
    expect((body as { message: string }).message).toMatch(/POST \/models\/:id\/twice is not its schema's/);
    await asked(false, wrong).post('/models/1/twice').send({ n: 1 }).expect(200);
  });

  test('that has nothing to tell says that it is done', async () => {
    const drop = endpoint({
      method: 'DELETE',
      path: '/things/:thing',
      says: 'Drops a thing',
      answer: z.strictObject({ ok: z.literal(true) }),
    });
    const { body } = await asked(true, (serve) => serve(drop, () => undefined))
      .delete('/things/a')
      .expect(200);
    expect(body).toEqual({ ok: true });
  });
});
