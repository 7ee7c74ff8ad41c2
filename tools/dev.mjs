// Development: the server (built and started anew after a change) and Vite for the screens.
import { spawn } from 'node:child_process';
const run = (command, args) => spawn(command, args, { stdio: 'inherit' });
const watched = ['core', 'contract', 'server', 'cli', 'demo'].map((folder) => `--watch-path=${folder}/src`);
const children = [
  run(process.execPath, [
    ...watched,
    'tools/dev-server.mjs',
    'serve',
    '--workspace',
    '.demo/dev.workspace.sqlite',
    '--port',
    '4600',
    '--demo',
  ]),
  run(process.execPath, ['node_modules/vite/bin/vite.js', 'web']),
];
const stop = () => children.forEach((child) => child.kill('SIGTERM'));
process.on('SIGINT', stop);
process.on('SIGTERM', stop);
