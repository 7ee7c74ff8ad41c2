import { Ajv2020 } from 'ajv/dist/2020.js';
import * as z from 'zod';
import { SQL_DIALECTS } from '@crease/core/sql';
import { SQL_DIALECT_NAMES, addressOf, api, endpoint, ENDPOINTS, openApi, pathParams } from './index.ts';

test('an address escapes what stands in it, and leaves out what is not given', () => {
  expect(addressOf(api.questions.rows, { id: 3, table: 'a/b ?&ä', count: 5 })).toBe(
    '/models/3/tables/a%2Fb%20%3F%26%C3%A4/rows?count=5',
  );
  expect(addressOf(api.questions.foundLevels, { id: 3, table: undefined })).toBe('/models/3/found-levels');
  expect(addressOf(api.databases.list, {})).toBe('/connections');
});

test('an address without a part of its path is refused rather than sent to somewhere else', () => {
  expect(() => addressOf(api.models.get, {} as { id: number })).toThrow('/models/:id is asked without id');
});

test('what an address says comes back from its path', () => {
  const at = endpoint({ method: 'GET', path: '/models/:id/loads/:load/:name', says: '', answer: z.null() });
  const given = { id: 7, load: 12, name: 'x y' };
  const [, , id, , load, name] = addressOf(at, given).split('/').map(decodeURIComponent);
  expect(pathParams(at, { id, load, name })).toEqual(given);
  expect(pathParams(at, { id: 'seven', load, name })).toEqual({ wrong: 'seven' });
  expect(pathParams(at, { id: '1e999', load, name })).toEqual({ wrong: '1e999' });
});

test('questions are shown in each dialect that the core writes', () => {
  expect([...SQL_DIALECT_NAMES]).toEqual(SQL_DIALECTS.map((dialect) => dialect.name));
});

test('no two endpoints share an address, and each says what it does', () => {
  const addresses = ENDPOINTS.map(([, { method, path }]) => `${method} ${path.replace(/:\w+/g, ':')}`);
  expect(new Set(addresses).size).toBe(addresses.length);
  for (const [name, { says }] of ENDPOINTS)
    expect([name, says]).toEqual([name, expect.stringMatching(/^[A-Z].*[^.]$/)]);
});

describe('the OpenAPI document', () => {
  const document = openApi() as {
    paths: Record<
      string,
      Record<string, { operationId: string; parameters: { name: string; in: string }[] }>
    >;
  };

  test('has every endpoint, with every part of its path', () => {
    const operations = Object.entries(document.paths).flatMap(([path, verbs]) =>
      Object.entries(verbs).map(([verb, operation]) => ({ path, verb, ...operation })),
    );
    expect(operations.map((o) => o.operationId).sort()).toEqual(ENDPOINTS.map(([name]) => name).sort());
    for (const { path, parameters } of operations)
      expect(parameters.filter((p) => p.in === 'path').map((p) => p.name)).toEqual(
        [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => name),
      );
  });

  test('is JSON, and no reference in it leads nowhere', () => {
    const text = JSON.stringify(document);
    expect(JSON.parse(text)).toEqual(document);
    const refs = [...text.matchAll(/"\$ref":"([^"]+)"/g)].map(([, ref]) => ref!);
    expect(refs.length).toBeGreaterThan(0);
    expect(refs.filter((ref) => !resolves(document, ref))).toEqual([]);
  });

  test('tells what an answer of the core has, and lets the endpoint add to it', () => {
    const { schema } = (
      document.paths['/models/{id}/query']!.post as unknown as {
        responses: { 200: { content: { 'application/json': { schema: object } } } };
      }
    ).responses[200].content['application/json'];
    const ajv = new Ajv2020({ strict: false });
    const isAnswer = ajv.compile({ ...schema, components: (document as unknown as Json).components });
    const answer = {
      columns: [{ name: 'Loans', kind: 'measure', type: 'integer' }],
      rows: [[12], ['9007199254740993'], [null]],
      unreached: [],
      elapsedMs: 3.5,
    };
    expect([isAnswer(answer), isAnswer.errors]).toEqual([true, null]);
    const { rows: _, ...without } = answer;
    expect(isAnswer(without)).toBe(false);
    expect(isAnswer({ ...answer, elapsedMs: 'long' })).toBe(false);
  });

  test('tells what a body has to have', () => {
    const edits = document.paths['/models/{id}/edits']!.post as unknown as {
      requestBody: { content: { 'application/json': { schema: { required: string[] } } } };
    };
    expect(edits.requestBody.content['application/json'].schema.required).toEqual(['base', 'edit', 'says']);
  });
});

type Json = Record<string, unknown>;

/** References are from the root of the document. */
const resolves = (root: Json, ref: string): boolean =>
  ref
    .replace(/^#\/?/, '')
    .split('/')
    .filter(Boolean)
    .reduce<unknown>((at, name) => (at as Json | undefined)?.[name], root) !== undefined;
