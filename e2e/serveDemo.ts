import { spawn } from 'node:child_process';

/**
 * Serves a demo of that many loans by the program itself, at a free port. Keys of passwords lie beside the
 * workspace, not in the folder of whoever runs it.
 */
export async function serveDemo(
  workspace: string,
  loans: number,
): Promise<{ address: string; end: () => Promise<void> }> {
  const given = ['serve', '--workspace', workspace, '--port', '0', '--demo', '--loans', String(loans)];
  const child = spawn(process.execPath, ['cli/bin/crease.mjs', ...given], {
    env: { ...process.env, XDG_CONFIG_HOME: `${workspace}.settings` },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  const gone = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  const address = await new Promise<string>((resolve, reject) => {
    let out = '';
    const heard = (text: Buffer): void => {
      out += String(text);
      const found = /http:\/\/127\.0\.0\.1:\d+/.exec(out)?.[0];
      if (found !== undefined) resolve(found);
    };
    child.stdout.on('data', heard);
    child.stderr.on('data', heard);
    child.once('exit', () => reject(new Error(`the server does not start: ${out}`)));
  });
  const end = async (): Promise<void> => {
    child.kill('SIGTERM');
    await gone;
  };
  return { address, end };
}
