import { readFileSync } from 'node:fs';
import { Option } from 'commander';
import type { Command } from 'commander';
import { claimsCsv, claimsJunit, claimsSarif } from '@crease/core/interchange';
import type { JudgedClaim } from '@crease/core/claims';
import { couldNotBeJudged, summarise } from '@crease/core/claims';
import type { Model } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import type { BothAnswers } from '../bothEvaluators.ts';
import type { FolderOptions } from '../folderRows.ts';
import { NO_CACHE } from '../folderRows.ts';
import { CommandError, loadModel, todayOf } from '../input.ts';
import { judgeFolder } from '../judgeFolder.ts';
import type { DatabaseOptions } from '../onDatabase.ts';
import { onDatabase, withDatabase } from '../onDatabase.ts';
import { formatDate } from '@crease/core/values';

export function addCheck(program: Command): void {
  withDatabase(program.command('check <model>'))
    .description('judges every claim that a model makes, on all rows; exit status 1 where one is broken')
    .option('--data <dir>', 'folder of the data files; by default that of the model')
    .option(...NO_CACHE)
    .addOption(
      new Option('--json', 'claims, evidence and summary as JSON').conflicts(['csv', 'sarif', 'junit']),
    )
    .addOption(new Option('--csv', 'all claims as delimited text').conflicts(['sarif', 'junit']))
    .option(
      '--both',
      'also asks kept trials and known answers of both evaluators; exit status 1 where they differ',
    )
    .option('--targets', 'also whether what was released to the targets still stands there')
    .addOption(new Option('--junit', 'all claims as a JUnit report, for build servers').conflicts(['sarif']))
    .option('--sarif', 'what does not hold as a SARIF 2.1.0 log, for pipelines')
    .action(
      async (
        modelFile: string,
        options: {
          data?: string;
          cache?: boolean;
          json?: boolean;
          csv?: boolean;
          sarif?: boolean;
          junit?: boolean;
          targets?: boolean;
          both?: boolean;
        } & DatabaseOptions,
      ) => {
        const start = performance.now();
        const { model, claims: ofModel, data } = await judged(modelFile, options);
        const ofTargets =
          options.targets && data ? await targetClaims(modelFile, { model, claims: ofModel, data }) : [];
        const claims = [...ofModel, ...ofTargets];
        const summary = summarise(claims);
        const both = options.both && data ? await bothAnswers(model, data) : undefined;
        const elapsedMs = Math.round(performance.now() - start);
        if (options.json) {
          const listed = claims.map(({ about: _, waiver: __, ref: ___, ...claim }) => ({
            ...claim,
            remedies: remedyIds(claim.verdict, claim.remedies),
          }));
          process.stdout.write(
            `${JSON.stringify({ model: model.name, claims: listed, summary, ...(both ? { both } : {}), elapsedMs })}\n`,
          );
        } else if (options.csv) process.stdout.write(claimsCsv(claims));
        else if (options.junit) process.stdout.write(claimsJunit(claims, model, elapsedMs / 1000));
        else if (options.sarif) {
          const text = readFileSync(modelFile, 'utf8');
          process.stdout.write(claimsSarif(claims, { model, file: modelFile, text }));
        } else process.stdout.write(asText(claims, summary, elapsedMs));
        for (const line of (both ?? []).flatMap(bothText)) process.stderr.write(`crease: ${line}\n`);
        const differs = (both ?? []).some((b) => b.agrees === false);
        const failed = claims.filter(couldNotBeJudged);
        for (const c of failed)
          process.stderr.write(
            `crease: ${c.id} could not be judged: ${(c.evidence.notes ?? []).join('; ')}\n`,
          );
        // What could not be judged does not hold: a pipeline must not take it for a pass.
        process.exitCode = failed.length > 0 ? 2 : summary.broken > 0 || differs ? 1 : 0;
      },
    );
}

/** Judges on files, or on a database; the rows are those of files. */
async function judged(
  modelFile: string,
  options: DatabaseOptions & FolderOptions & { both?: boolean; targets?: boolean },
): Promise<{ model: Model; claims: JudgedClaim[]; data?: ModelData }> {
  const { on } = options;
  if (on === undefined) return judgeFolder(modelFile, options);
  if (options.both || options.targets)
    throw new CommandError('--on asks one database: --both and --targets compare it with rows that are held');
  const model = loadModel(modelFile);
  const today = formatDate(todayOf({ ...model, asOf: undefined }));
  return onDatabase(model, modelFile, { ...options, on }, async (warehouse) => ({
    model,
    claims: await warehouse.judge(today, { onError: tellFault }),
  }));
}

const tellFault = (error: unknown): void => {
  if (process.env.CREASE_DEBUG) process.stderr.write(`${(error as Error).stack ?? String(error)}\n`);
};

/** The database is loaded only where it is asked for. */
async function bothAnswers(model: Model, data: ModelData): Promise<BothAnswers[]> {
  const { compareBoth } = await import('../bothEvaluators.ts');
  return compareBoth(model, data);
}

/** What releases is loaded only where it is asked for. */
async function targetClaims(
  modelFile: string,
  judged: { model: Model; claims: readonly JudgedClaim[]; data: ModelData },
): Promise<JudgedClaim[]> {
  const { judgeTargets } = await import('../judgeTargets.ts');
  return judgeTargets(modelFile, judged);
}

/** What does not agree, or could not be compared. */
const bothText = ({ kind, name, agrees, note }: BothAnswers): string[] =>
  agrees
    ? []
    : [`the ${kind} "${name}" ${agrees === null ? 'could not be compared' : 'differs'}: ${note ?? ''}`];

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
        const values = Object.entries(s.values).map(([k, v]) => `${k} ${v === null ? 'null' : String(v)}`);
        const rows = `${s.rows} ${s.rows === 1 ? 'row' : 'rows'}`;
        const lines = (s.lines ?? []).slice(0, 5);
        return `    ${values.join(', ')}: ${rows}${lines.length > 0 ? `, line ${lines.join(', ')}` : ''}`;
      });
      return [
        `${claim.verdict.padEnd(9)} ${claim.id}${counted}`,
        ...(claim.found === undefined ? [] : [`    ${claim.found}`]),
        ...(evidence.notes ?? []).map((note) => `    ${note}`),
        ...sample,
      ];
    });
  return `${[...lines, `${summary.holds} hold, ${summary.broken} broken, ${summary.unchecked} unchecked, ${summary.waived} waived; ${elapsedMs} ms`].join('\n')}\n`;
}
