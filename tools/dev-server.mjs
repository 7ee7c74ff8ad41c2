// The program, built from its sources as they are now. `--programs` is for the build alone, not for the program.
import { mkdirSync } from 'node:fs';
process.argv.push('--programs');
await import('./build.mjs');
process.argv.pop();
mkdirSync('.demo', { recursive: true });
await import('../cli/bin/crease.mjs');
