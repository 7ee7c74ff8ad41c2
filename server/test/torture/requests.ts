import type { Express } from 'express';
import * as z from 'zod';
import { ENDPOINTS } from '@crease/contract';
import { makeApp } from '../../src/index.ts';
import { ask, faultIn, withServer } from './scratch.ts';
import type { Outcome, Seeded } from './seeded.ts';
import { seeded } from './seeded.ts';

// Requests of every route, with bodies that fit their schema, nearly fit it, or do not; none may end in a
// fault of the program.

const GARBAGE: readonly unknown[] = [
  null,
  true,
  0,
  -1,
  1.5,
  1e308,
  Number.MAX_SAFE_INTEGER + 2,
  '',
  ' ',
  '0',
  'loan',
  'Loan.id',
  '[Loans]',
  '%00',
  '\u0000',
  '\ud800',
  '../../etc/passwd',
  "'; drop table model; --",
  'é'.repeat(300),
  'x'.repeat(30_000),
  '2026-02-30',
  '9999-99-99',
  '1)',
  'count of loan where loan.id > 1',
  'sum of loan.fine for all reaching branch',
  [],
  {},
  [[]],
  { '': '' },
  { __proto__: null, constructor: 1 },
];
const WORDS = [
  'loan',
  'branch',
  'id',
  'name',
  'fine',
  'day',
  'branch_id',
  'loan.id',
  'branch.name',
  'Loans',
  'branch by name',
  'integer',
  'text',
  'decimal(9,2)',
  'date',
  'dimension',
  'fact',
  'count of loan',
  'sum of loan.fine',
  'loan.fine * 2',
  '2026-06-30',
  'dd.MM.yyyy',
  ',',
  'replace',
];

type Schema = Readonly<Record<string, unknown>>;

/** A value of a JSON schema, its texts taken from the words of the small model. */
function valueOf(schema: Schema, random: Seeded, root: Schema, depth = 0): unknown {
  if (random.chance(0.02)) return random.pick(GARBAGE);
  if (typeof schema.$ref === 'string')
    return depth > 8
      ? random.pick(WORDS)
      : valueOf(schema.$ref === '#' ? root : definition(root, schema.$ref), random, root, depth + 1);
  if ('const' in schema) return schema.const;
  if (Array.isArray(schema.enum)) return random.pick(schema.enum as unknown[]);
  const options = (schema.anyOf ?? schema.oneOf) as Schema[] | undefined;
  if (options) return valueOf(random.pick(options), random, root, depth + 1);
  switch (schema.type) {
    case 'object':
      return objectOf(schema, random, root, depth);
    case 'array':
      return Array.from({ length: depth > 8 ? 0 : random.below(4) }, () =>
        valueOf((schema.items ?? {}) as Schema, random, root, depth + 1),
      );
    case 'integer':
    case 'number':
      return random.pick([0, 1, 2, 5, 12, 100]);
    case 'boolean':
      return random.chance(0.5);
    case 'string':
      return random.pick(WORDS);
    case 'null':
      return null;
    default:
      return random.chance(0.5) ? random.pick(WORDS) : random.pick(GARBAGE);
  }
}

function objectOf(schema: Schema, random: Seeded, root: Schema, depth: number): unknown {
  const properties = (schema.properties ?? {}) as Record<string, Schema>;
  const required = new Set((schema.required ?? []) as string[]);
  const entries = Object.entries(properties)
    .filter(([name]) => (required.has(name) ? random.chance(0.98) : random.chance(depth > 8 ? 0 : 0.4)))
    .map(([name, of]) => [name, valueOf(of, random, root, depth + 1)] as const);
  if (random.chance(0.02))
    return Object.fromEntries([...entries, [random.pick(WORDS), random.pick(GARBAGE)]]);
  return Object.fromEntries(entries);
}

const definition = (root: Schema, ref: string): Schema =>
  (root.$defs as Record<string, Schema>)[ref.replace('#/$defs/', '')] ?? {};

/** Bodies of the endpoints that have one. */
const BODIES: Readonly<Record<string, Schema>> = Object.fromEntries(
  ENDPOINTS.flatMap(([, { method, path, request }]) =>
    request
      ? [[`${method} ${path}`, z.toJSONSchema(request, { unrepresentable: 'any', io: 'input' }) as Schema]]
      : [],
  ),
);
const SCHEMAS: readonly Schema[] = Object.values(BODIES);

interface Route {
  readonly method: string;
  readonly path: string;
}

/** Every route of the application, as the framework has it. */
export function routesOf(app: Express): Route[] {
  const found: Route[] = [];
  const walk = (stack: readonly Layer[]) => {
    for (const layer of stack) {
      for (const method of Object.keys(layer.route?.methods ?? {}))
        found.push({ method: method.toUpperCase(), path: layer.route!.path });
      if (layer.handle && 'stack' in layer.handle) walk(layer.handle.stack as readonly Layer[]);
    }
  };
  walk((app.router as unknown as { stack: readonly Layer[] }).stack);
  return found.filter(({ path }) => path.startsWith('/') && !path.includes('{'));
}
interface Layer {
  readonly route?: { readonly path: string; readonly methods: Readonly<Record<string, boolean>> };
  readonly handle?: unknown & { readonly stack?: unknown };
}

/** Routes that would reach out of the machine, or wait for somebody, are asked only for what they refuse. */
const LEFT_OUT = new Set(['POST /connections/:connection/test']);

const REMOVING = new Set(['DELETE /models/:id', 'DELETE /uploads/:upload']);

const HEADERS: readonly Readonly<Record<string, string>>[] = [
  {},
  {},
  {},
  {},
  { 'content-encoding': 'gzip' },
  { 'content-encoding': 'nothing' },
  { range: 'bytes=9999999-' },
  { 'if-match': '"x"' },
  { 'if-none-match': '*' },
  { 'content-type': 'text/plain' },
  { 'content-type': 'application/json; charset=klingon' },
  { accept: 'application/xml' },
  { 'sec-fetch-site': 'cross-site' },
];

const MODEL = {
  crease: 1,
  name: 'small',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'branch_id', type: 'integer' },
        { name: 'fine', type: 'decimal(9,2)' },
        { name: 'day', type: 'date' },
      ],
      key: ['id'],
    },
    {
      name: 'branch',
      role: 'dimension',
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'name', type: 'text' },
      ],
      key: ['id'],
    },
  ],
  relationships: [
    {
      name: 'loan to branch',
      from: { table: 'loan', columns: ['branch_id'] },
      to: { table: 'branch', columns: ['id'] },
    },
  ],
  measures: [{ name: 'Loans', formula: 'count of loan' }],
};
const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
const FILES = {
  loan: 'id,branch_id,fine,day\n1,1,0.50,2026-01-02\n2,2,1.25,2026-02-03\n3,9,,2026-03-04\n',
  branch: 'id,name\n1,North\n2,South\n',
};

const HANG_MS = 30_000;

/** Sends requests to a server of its own. */
export async function requests({ count, seed }: { count: number; seed: number }): Promise<Outcome> {
  const random = seeded(seed);
  const failed: string[] = [];
  const state: State = { models: [], uploads: [], statuses: new Map() };
  const routes = await withServer(
    (bug) => failed.push(bug),
    async ({ address, workspace }, folder) => {
      const all = routesOf(makeApp(workspace)).filter(
        ({ method, path }) => !LEFT_OUT.has(`${method} ${path}`),
      );
      const asking = all.filter(({ method, path }) => !REMOVING.has(`${method} ${path}`));
      for (let n = 0; n < count; n++) {
        if (n % 250 === 0) await prepare(address, state);
        const picked = random.pick(all);
        // What is removed is asked about in vain: that is tried now and then only.
        const isRemoving = REMOVING.has(`${picked.method} ${picked.path}`);
        const route = isRemoving && random.chance(0.9) ? random.pick(asking) : picked;
        const fault = await once(address, route, random, state, folder);
        if (fault !== undefined) failed.push(`request ${n}: ${fault}`);
      }
      return all.length;
    },
  );
  const answers = [...state.statuses]
    .sort(([a], [b]) => a - b)
    .map(([status, times]) => `${times} × ${status}`);
  return { tried: count, failed, note: `${routes} routes, answers ${answers.join(', ')}` };
}

interface State {
  readonly statuses: Map<number, number>;
  models: number[];
  uploads: string[];
}

/** A model with rows, and files that have come: what requests are about. */
async function prepare(address: string, state: State): Promise<void> {
  const { id } = await ask<{ id: number }>(address, 'POST', '/models/import', {
    text: JSON.stringify(MODEL),
  });
  state.models = [...state.models.slice(-2), id];
  for (const [name, text] of Object.entries(FILES)) {
    const upload = await ask<{ id: string }>(address, 'POST', `/uploads?name=${name}.csv`, text);
    const table = MODEL.tables.find((t) => t.name === name)!;
    const columns = table.columns.map((c, place) => ({ ...c, fileName: c.name, place }));
    await ask(address, 'POST', `/models/${id}/intake`, {
      tables: [{ upload: upload.id, name, dialect: DIALECT, columns, mode: 'replace' }],
      dryRun: false,
    });
    const waiting = await ask<{ id: string }>(address, 'POST', `/uploads?name=${name}.csv`, text);
    state.uploads = [...state.uploads.slice(-4), waiting.id];
  }
}

/** The head of a model, on which most edits are made; 1 where it is gone. */
async function headOf(address: string, path: string): Promise<number> {
  const model = /^\/models\/[^/]+/.exec(path)?.[0];
  const response = model === undefined ? undefined : await fetch(`${address}/api${model}`);
  return response?.ok ? ((await response.json()) as { revision: { id: number } }).revision.id : 1;
}

async function once(
  address: string,
  route: Route,
  random: Seeded,
  state: State,
  folder: string,
): Promise<string | undefined> {
  const method = random.chance(0.03) ? random.pick(['PATCH', 'PUT', 'POST', 'OPTIONS']) : route.method;
  const valueFor = (name: string): string => {
    if (random.chance(0.1)) return encodeURIComponent(wellFormed(textOf(random.pick(GARBAGE))));
    if (name === 'id') return String(random.pick(state.models));
    if (name === 'upload') return random.pick(state.uploads);
    return encodeURIComponent(random.pick(WORDS));
  };
  const path = route.path.replace(/:(\w+)/g, (_all, name: string) => valueFor(name));
  const search = random.chance(0.3)
    ? `?${random.pick(['offset', 'count', 'column', 'search', 'name', 'table', 'format', 'step'])}=${valueFor('word')}`
    : '';
  const headers: Record<string, string> = { 'content-type': 'application/json', ...random.pick(HEADERS) };
  const made = method === 'GET' ? undefined : bodyText(route, random);
  const isEdit = made?.startsWith('{"base":') && random.chance(0.9);
  const text = isEdit ? made!.replace(/^\{"base":[^,}]*/, `{"base":${await headOf(address, path)}`) : made;
  const said = `${method} ${path}${search} ${JSON.stringify(headers)} ${(text ?? '').slice(0, 300)}`;
  const stop = new AbortController();
  const hang = setTimeout(() => stop.abort(), HANG_MS);
  try {
    const response = await fetch(`${address}/api${path}${search}`, {
      method,
      headers,
      ...(text === undefined ? {} : { body: text }),
      signal: stop.signal,
    });
    if (response.headers.get('content-type')?.startsWith('text/event-stream')) {
      await response.body?.cancel();
      return undefined;
    }
    state.statuses.set(response.status, (state.statuses.get(response.status) ?? 0) + 1);
    const fault = faultIn(response.status, await response.text(), folder);
    return fault === undefined ? undefined : `${said}: ${fault}`;
  } catch (error) {
    return `${said}: ${stop.signal.aborted ? 'no answer' : String((error as Error).cause ?? error)}`;
  } finally {
    clearTimeout(hang);
  }
}

const textOf = (value: unknown): string =>
  (typeof value === 'string' ? value : JSON.stringify(value)).slice(0, 500);
const wellFormed = (text: string): string => text.replace(/[\ud800-\udfff]/g, '?');

function bodyText(route: Route, random: Seeded): string {
  const known = BODIES[`${route.method} ${route.path}`];
  if (random.chance(0.03))
    return random.pick(['', '{', '[', 'null', '"', '{"a":', '['.repeat(20_000), '\u0000']);
  if (random.chance(0.05)) return JSON.stringify(random.pick(GARBAGE));
  const schema = known && random.chance(0.9) ? known : random.pick(SCHEMAS);
  return JSON.stringify(valueOf(schema, random, schema));
}
