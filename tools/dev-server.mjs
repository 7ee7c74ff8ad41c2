// The program, built from its sources as they are now. The options are for the build alone, not for the program.
import { mkdirSync } from 'node:fs';
const given = process.argv.length;
process.argv.push('--programs', '--quick');
await import('./build.mjs');
process.argv.length = given;
mkdirSync('.demo', { recursive: true });
await import('../cli/bin/crease.mjs');
