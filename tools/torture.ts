// Experiments that try to break the application, with a seed that repeats them.
//   npm run torture -- requests --count 20000 --seed 1
//   npm run torture -- files|kills|releases|editors|disk …
//   npm run torture -- clicks --acts 2000 --seed 1
// Prints how many were tried, survived and failed; what failed, with what makes it again. All in a scratch
// folder, on the loopback address.
import { spawnSync } from 'node:child_process';
import type { Outcome } from '../server/test/torture/seeded.ts';

const EXPERIMENTS: Readonly<Record<string, (o: { count: number; seed: number }) => Promise<Outcome>>> = {
  requests: async (o) => (await import('../server/test/torture/requests.ts')).requests(o),
  files: async (o) => (await import('../server/test/torture/files.ts')).files(o),
  kills: async (o) => (await import('../server/test/torture/kills.ts')).kills(o),
  editors: async (o) =>
    (await import('../server/test/torture/editors.ts')).editors({ ...o, seconds: option('--seconds', 20) }),
  releases: async (o) => (await import('../server/test/torture/releases.ts')).releases(o),
  disk: async (o) => (await import('../server/test/torture/disk.ts')).disk(o),
};
const COUNTS: Readonly<Record<string, number>> = {
  requests: 2000,
  files: 500,
  kills: 20,
  releases: 20,
  editors: 10,
  disk: 5,
};

const option = (name: string, fallback: number): number => {
  const at = process.argv.indexOf(name);
  return at < 0 ? fallback : Number(process.argv[at + 1]);
};
const name = process.argv[2] ?? '';
if (name === 'clicks') {
  // The walk is a journey like the others, on the built program in a real browser.
  const acts = option('--acts', option('--count', 500));
  const env = { CREASE_CLICKS: String(acts), CREASE_SEED: String(option('--seed', 1)) };
  const walk = ['playwright', 'test', 'e2e/clicks.spec.ts', '--reporter=list'];
  const { status } = spawnSync('npx', walk, { stdio: 'inherit', env: { ...process.env, ...env } });
  process.exit(status ?? 1);
}
const experiment = EXPERIMENTS[name];
if (!experiment) {
  console.error(`say which: ${[...Object.keys(EXPERIMENTS), 'clicks'].join(', ')}`);
  process.exit(2);
}
const { tried, failed, note } = await experiment({
  count: option('--count', COUNTS[name]!),
  seed: option('--seed', 1),
});
for (const fault of failed.slice(0, 20)) console.log(fault);
console.log(
  `${name}: ${tried} tried, ${tried - failed.length} survived, ${failed.length} failed${note ? ` (${note})` : ''}`,
);
process.exitCode = failed.length === 0 ? 0 : 1;
