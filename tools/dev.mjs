// Development: the server from its sources (restarted on a change) and Vite for the screens.
import { spawn } from 'node:child_process';
const run = (command, args) => spawn(command, args, { stdio: 'inherit' });
const children = [
  run(process.execPath, [
    '--watch',
    '--import',
    'tsx',
    'cli/src/main.ts',
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
