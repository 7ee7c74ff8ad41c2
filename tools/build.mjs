// Bundles the programs (command line, server with its worker) with esbuild and the screens with Vite.
//   node tools/build.mjs [--programs] [--quick]
//     --programs: without the screens
//     --quick: without what shortens a start (tools/keep-code.mjs), which takes longer than the bundles
import { copyFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';
import { keepCode } from './keep-code.mjs';
import { PACKAGES_APART } from './packagesApart.mjs';
import './kernels.mjs';

const root = resolve(dirname(fileURLToPath(import.meta.url)), '..');
const common = {
  absWorkingDir: root,
  bundle: true,
  platform: 'node',
  target: 'node20',
  // As scripts, for what the engine made of a script can be kept (tools/load.cjs); of modules it cannot.
  format: 'cjs',
  define: { 'import.meta.url': '__moduleUrl' },
  // A script that is loaded so has no `import` of its own.
  supported: { 'dynamic-import': false },
  sourcemap: true,
  // What is read at each start is half as long; names stay, for the traces of faults.
  minifyWhitespace: true,
  minifySyntax: true,
  logLevel: 'warning',
  external: PACKAGES_APART,
  banner: { js: "const __moduleUrl = require('node:url').pathToFileURL(__filename).href;" },
};
const dist = resolve(root, 'cli/dist');
rmSync(dist, { recursive: true, force: true });
const entries = {
  crease: 'cli/src/main.ts',
  worker: 'server/src/tasks/worker.ts',
  isolated: 'server/src/readers/isolated.ts',
  scanWorker: 'server/src/tasks/scanWorker.ts',
};
await build({ ...common, entryPoints: entries, outdir: dist });
copyFileSync(resolve(root, 'tools/load.cjs'), join(dist, 'load.cjs'));
for (const name of Object.keys(entries))
  writeFileSync(join(dist, `${name}.cjs`), `module.exports = require('./load.cjs')('${name}');\n`);

const screens = async () => {
  const vite = await import('vite');
  await vite.build({
    root: resolve(root, 'web'),
    configFile: resolve(root, 'web/vite.config.ts'),
    logLevel: 'warn',
  });
};
await Promise.all([
  ...(process.argv.includes('--quick') ? [] : [keepCode(dist)]),
  ...(process.argv.includes('--programs') ? [] : [screens()]),
]);
