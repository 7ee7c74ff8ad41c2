// How good drafts are: counts what is right in folders that have a `truth.json` beside their files.
//   npm run bench -- drafts [FOLDER …]      (without folders: those of the tests)
import { readdirSync, statSync } from 'node:fs';
import { basename, join } from 'node:path';
import type { DraftScores } from '../cli/test/drafts/score.ts';
import { scoreDraft } from '../cli/test/drafts/score.ts';

const own = new URL('../cli/test/drafts/', import.meta.url).pathname;
const named = process.argv.slice(2);
const folders =
  named.length > 0
    ? named
    : readdirSync(own)
        .map((name) => join(own, name))
        .filter((path) => statSync(path).isDirectory());
const SUBJECTS: readonly (keyof DraftScores)[] = ['types', 'keys', 'relationships', 'roles', 'uses'];
const sums = Object.fromEntries(SUBJECTS.map((s) => [s, { right: 0, of: 0 }]));
for (const folder of folders) {
  const scores = await scoreDraft(folder);
  console.log(
    `${basename(folder).padEnd(12)} ${SUBJECTS.map((s) => `${s} ${scores[s].right}/${scores[s].of}`).join('  ')}`,
  );
  for (const subject of SUBJECTS) {
    sums[subject]!.right += scores[subject].right;
    sums[subject]!.of += scores[subject].of;
    for (const wrong of scores[subject].wrong) console.log(`    ${subject}: ${wrong}`);
  }
}
console.log(
  `together     ${SUBJECTS.map((s) => `${s} ${((100 * sums[s]!.right) / Math.max(1, sums[s]!.of)).toFixed(1)} %`).join('  ')}`,
);
