import { chmodSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readAfterPlan, tellAfterPlan } from '../src/loads/afterPlan.ts';

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'crease-after-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const file = () => join(folder, 'after-plan.json');
const write = (content: unknown, mode = 0o600) => {
  writeFileSync(file(), typeof content === 'string' ? content : JSON.stringify(content));
  chmodSync(file(), mode);
};
const RUN = {
  plan: 'Night',
  by: 'time' as const,
  startedAt: '2026-06-30T05:00:00Z',
  endedAt: '2026-06-30T05:01:00Z',
  outcome: 'done' as const,
  steps: [],
  broken: ['key-unique:loan'],
  mended: [],
};

test('without a file nothing is told, and nothing is wrong', async () => {
  expect(await tellAfterPlan(file(), 'library', RUN)).toEqual([]);
});

test('a program gets the run on its standard input, its parameters as they are, without a shell', async () => {
  const out = join(folder, 'told; touch x');
  const program = `require('fs').writeFileSync(process.argv[1], require('fs').readFileSync(0))`;
  write({ command: [process.execPath, '-e', program, out] });
  expect(await tellAfterPlan(file(), 'library', RUN)).toEqual([]);
  expect(JSON.parse(readFileSync(out, 'utf8'))).toEqual({ model: 'library', ...RUN });
  write({ command: [process.execPath, '-e', 'process.exit(3)'] });
  expect(await tellAfterPlan(file(), 'library', RUN)).toEqual([expect.stringContaining('ended with 3')]);
  write({ command: [join(folder, 'no-such-program')] });
  expect(await tellAfterPlan(file(), 'library', RUN)).toEqual([expect.stringContaining('cannot be run')]);
});

test('an address on this machine gets the run; one that answers elsewhere is not followed', async () => {
  const got: string[] = [];
  const server = createServer((request, response) => {
    if (request.url === '/away') return response.writeHead(302, { location: '/' }).end();
    if (request.url === '/bad') return response.writeHead(500).end();
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    return request.on('end', () => {
      got.push(body);
      response.end('ok');
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  try {
    write({ url: `${base}/` });
    expect(await tellAfterPlan(file(), 'library', RUN)).toEqual([]);
    expect(got.map((body) => (JSON.parse(body) as typeof RUN).broken)).toEqual([['key-unique:loan']]);
    write({ url: `${base}/away` });
    expect(await tellAfterPlan(file(), 'library', RUN)).toHaveLength(1);
    write({ url: `${base}/bad` });
    expect(await tellAfterPlan(file(), 'library', RUN)).toEqual([`${base}/bad answered 500`]);
    expect(got).toHaveLength(1);
  } finally {
    server.close();
  }
});

test.each<[string, unknown, number, RegExp]>([
  ['that others may write', { url: 'http://127.0.0.1:1/' }, 0o622, /nobody else may write it/],
  ['with an address elsewhere', { url: 'http://192.0.2.1/' }, 0o600, /is not on this machine/],
  ['with a name for an address', { url: 'http://localhost.example.org/' }, 0o600, /is not on this machine/],
  ['with another protocol', { url: 'ftp://127.0.0.1/' }, 0o600, /is not on this machine/],
  [
    'with a field that is unknown',
    { comand: ['x'] },
    0o600,
    /unknown field "comand", did you mean "command"/,
  ],
  ['that is no JSON', '{', 0o600, /is no JSON/],
])('a file %s is not followed, and that is said', async (_, content, mode, why) => {
  write(content, mode);
  expect(() => readAfterPlan(file())).toThrow(why);
  expect(await tellAfterPlan(file(), 'library', RUN)).toEqual([expect.stringMatching(why)]);
});
