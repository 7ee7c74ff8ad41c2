// Compares the columns engine, the SQL evaluator and a naive reference on random models, rows, formulas and
// queries.
//   npm run fuzz -- --cases 10000 --seed 1
// Prints how many were compared, and each difference cut down to a small case with the seed that makes it.
import { answers, difference, makeCase, shrink } from '../server/test/fuzz/compare.ts';

const option = (name: string, fallback: number): number => {
  const at = process.argv.indexOf(name);
  return at < 0 ? fallback : Number(process.argv[at + 1]);
};
const [count, first] = [option('--cases', 1000), option('--seed', 1)];
let [compared, leftOut, different] = [0, 0, 0];
for (let i = 0; i < count; i++) {
  // Seeds of neighbouring runs do not overlap.
  const seed = (first * 1_000_003 + i) >>> 0;
  const found = difference(makeCase(seed));
  if (found === null) leftOut++;
  else compared++;
  if (typeof found !== 'string') continue;
  different++;
  if (different > 5) continue;
  const small = shrink(makeCase(seed));
  const rows = Object.fromEntries(Object.entries(small.world.rows).filter(([, list]) => list.length > 0));
  console.log(`seed ${seed}: ${found}`);
  console.log(`  formula  ${small.question.formula}\n  query    ${JSON.stringify(small.question.query)}`);
  console.log(`  as of    ${small.world.model.asOf ?? 'today'}\n  rows     ${JSON.stringify(rows)}`);
  for (const [way, answer] of Object.entries(answers(small)!))
    console.log(`  ${way.padEnd(9)}${JSON.stringify(answer)}`);
}
console.log(`${count} cases: ${compared} compared, ${leftOut} left out as not right, ${different} differ`);
process.exitCode = different === 0 ? 0 : 1;
