// Runs the programs that were just built as their users do, so that what the engine makes of their code is
// kept beside them (tools/load.cjs): functions that ran need not be compiled at a start.
import { execFile, spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';

const run = promisify(execFile);

/** Writes the caches of the programs in the folder `dist`. Rejects where a program fails. */
export async function keepCode(dist) {
  const folder = mkdtempSync(join(tmpdir(), 'crease-build-'));
  // Nothing of whoever builds is read or written.
  const own = { ...process.env, XDG_CACHE_HOME: folder, XDG_CONFIG_HOME: folder };
  const keeping = (name) => ({ ...own, CREASE_KEEP_CODE: name });
  // Each of them adds to what the one before has left.
  const commandLine = async () => {
    const model = join(folder, 'lantern-valley.crease.json');
    const crease = (...args) =>
      run(process.execPath, [join(dist, 'crease.cjs'), ...args], { env: keeping('crease') });
    await run(process.execPath, [join(dist, 'crease.cjs'), 'demo', folder, '--loans', '300']);
    const question = join(folder, 'question.json');
    writeFileSync(question, JSON.stringify({ by: ['branch.name'], measures: ['Loans', 'Fines'] }));
    for (const engine of ['columns', 'sql'])
      await crease('query', model, '--query', question, '--json', '--engine', engine);
    await crease('check', model).catch((error) => {
      // The demo has claims that do not hold.
      if (error.code !== 1) throw error;
    });
  };
  // It judges the demo's claims on its threads.
  const server = () =>
    new Promise((done, fail) => {
      const args = [
        'serve',
        '--workspace',
        join(folder, 'w.sqlite'),
        '--port',
        '0',
        '--demo',
        '--loans',
        '300',
      ];
      const child = spawn(process.execPath, [join(dist, 'crease.cjs'), ...args], {
        // What a server runs would make each start of the command line longer.
        env: keeping('worker'),
        stdio: ['ignore', 'pipe', 'inherit'],
      });
      child.once('error', fail);
      child.stdout.once('data', () => setTimeout(() => child.kill('SIGTERM'), 2_000));
      child.once('exit', (status) => (status ? fail(new Error(`the server ends with ${status}`)) : done()));
    });
  const reader = () => run(process.execPath, [join(dist, 'isolated.cjs')], { env: keeping('isolated') });
  try {
    await Promise.all([commandLine(), reader()]);
    await server();
  } finally {
    rmSync(folder, { recursive: true, force: true });
    // What a thread was writing when it was ended.
    for (const name of readdirSync(dist).filter((one) => /\.cache\./.test(one))) rmSync(join(dist, name));
  }
}
