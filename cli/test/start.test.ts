import { spawnSync } from 'node:child_process';
import { cpSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

// How the built program starts: with what the engine made of its code, and where that does not fit.

const root = join(import.meta.dirname, '../..');
const folder = mkdtempSync(join(tmpdir(), 'crease-start-'));
const built = process.env.CREASE_PROGRAMS ?? join(root, 'cli/dist');
beforeAll(() => {
  for (const name of ['crease.js', 'crease.cjs', 'load.cjs']) cpSync(join(built, name), join(folder, name));
  symlinkSync(join(root, 'node_modules'), join(folder, 'node_modules'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const cache = join(folder, 'crease.cache');
const start = (env: NodeJS.ProcessEnv = {}, flags: readonly string[] = []) => {
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    [...flags, join(folder, 'crease.cjs'), 'propose', '--help'],
    { encoding: 'utf8', env: { ...process.env, ...env } },
  );
  return { status, stdout, stderr };
};

test('it starts without a cache, makes one where it is asked to, and is the same with it', () => {
  const without = start();
  expect(without).toMatchObject({ status: 0, stderr: '' });
  expect(without.stdout).toContain('Usage: crease propose');
  expect(start({ CREASE_KEEP_CODE: 'crease' })).toEqual(without);
  expect(readFileSync(cache).length).toBeGreaterThan(100_000);
  expect(start()).toEqual(without);
  // An engine with other flags refuses it.
  expect(start({}, ['--no-opt'])).toEqual(without);
  const whole = readFileSync(cache);
  for (const spoilt of [Buffer.alloc(0), whole.subarray(0, 1000), Buffer.from('no cache')]) {
    writeFileSync(cache, spoilt);
    expect(start()).toEqual(without);
  }
});
