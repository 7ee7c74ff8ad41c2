#!/usr/bin/env node
// The program itself is bundled by `npm run build` (also run by `npm ci`) into cli/dist.
import { existsSync } from 'node:fs';
import { createRequire } from 'node:module';
import { fileURLToPath } from 'node:url';
const program = new URL('../dist/crease.cjs', import.meta.url);
if (existsSync(program)) createRequire(import.meta.url)(fileURLToPath(program));
else {
  process.stderr.write("crease: the program is not built yet; run `npm run build` in the project's root\n");
  process.exitCode = 2;
}
