import { readFileSync } from 'node:fs';
import { Option } from 'commander';
import type { Command } from 'commander';
import { claimsCsv, claimsSarif } from '@crease/core/interchange';
import type { JudgedClaim } from '@crease/core/claims';
import { summarise } from '@crease/core/claims';
import { judgeFolder } from '../judgeFolder.ts';

export function addCheck(program: Command): void {
  program
    .command('check <model>')
    .description('judges every claim that a model makes, on all rows; exit status 1 where one is broken')
    .option('--data <dir>', 'folder of the data files; by default that of the model')
    .addOption(new Option('--json', 'claims, evidence and summary as JSON').conflicts(['csv', 'sarif']))
    .addOption(new Option('--csv', 'all claims as delimited text').conflicts(['sarif']))
    .option('--sarif', 'what does not hold as a SARIF 2.1.0 log, for pipelines')
    .action(
      async (
        modelFile: string,
        options: { data?: string; json?: boolean; csv?: boolean; sarif?: boolean },
      ) => {
        const start = performance.now();
        const { model, claims } = await judgeFolder(modelFile, options.data);
        const summary = summarise(claims);
        const elapsedMs = Math.round(performance.now() - start);
        if (options.json) {
          const listed = claims.map(({ about: _, waiver: __, ...claim }) => ({
            ...claim,
            remedies: remedyIds(claim.verdict, claim.remedies),
          }));
          process.stdout.write(
            `${JSON.stringify({ model: model.name, claims: listed, summary, elapsedMs })}\n`,
          );
        } else if (options.csv) process.stdout.write(claimsCsv(claims));
        else if (options.sarif) {
          const text = readFileSync(modelFile, 'utf8');
          process.stdout.write(claimsSarif(claims, { model, file: modelFile, text }));
        } else process.stdout.write(asText(claims, summary, elapsedMs));
        // What could not be judged does not hold: a pipeline must not take it for a pass.
        if (summary.unchecked > 0)
          process.stderr.write(`crease: ${summary.unchecked} claims could not be judged\n`);
        process.exitCode = summary.broken > 0 ? 1 : summary.unchecked > 0 ? 2 : 0;
      },
    );
}

const remedyIds = (verdict: string, remedies: readonly { id: string }[]): string[] =>
  verdict === 'broken' ? [...remedies.map((r) => r.id), 'waive'] : [];

function asText(
  claims: readonly JudgedClaim[],
  summary: ReturnType<typeof summarise>,
  elapsedMs: number,
): string {
  const lines = claims
    .filter((c) => c.verdict !== 'holds')
    .flatMap((claim) => {
      const { evidence } = claim;
      const counted =
        claim.verdict === 'unchecked'
          ? ''
          : ` (${evidence.against} of ${evidence.checked}${claim.weight === 'warns' ? ', warns' : ''})`;
      const sample = (evidence.sample ?? []).slice(0, 3).map((s) => {
        const { rows, lines: places, line: _, ...values } = s;
        return `    ${Object.entries(values)
          .map(([k, v]) => `${k} ${v === null ? 'null' : String(v)}`)
          .join(', ')}: ${rows} rows${places ? `, line ${places.join(', ')}` : ''}`;
      });
      return [
        `${claim.verdict.padEnd(9)} ${claim.id}${counted}`,
        ...(evidence.notes ?? []).map((note) => `    ${note}`),
        ...sample,
      ];
    });
  return `${[...lines, `${summary.holds} hold, ${summary.broken} broken, ${summary.unchecked} unchecked, ${summary.waived} waived; ${elapsedMs} ms`].join('\n')}\n`;
}
