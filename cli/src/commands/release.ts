import { dirname, resolve } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { counted } from '@crease/core/values';
import type { Command } from 'commander';
import { againstDefinitions, refusalOfDefinitions } from '@crease/core/claims';
import { partNamed } from '@crease/core/load';
import type { ReleaseTarget } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { ReleaseOrder, ReleaseOutcome } from '@crease/server/release';
import { planText, ProofError, wayTo } from '@crease/server/release';
import type { FolderOptions } from '../folderRows.ts';
import { NO_CACHE } from '../folderRows.ts';
import { CommandError, readText } from '../input.ts';
import { judgeFolder } from '../judgeFolder.ts';

interface Options extends FolderOptions {
  readonly to: string;
  readonly plan?: boolean;
  readonly definitions?: boolean;
  readonly parts?: string;
  readonly yes?: boolean;
  readonly allowPath?: boolean;
}

export function addRelease(program: Command): void {
  program
    .command('release <model>')
    .description(
      'brings a model with its rows to a target of it: judged, planned, proved by the same questions on both sides, and visible as a whole or not at all. Exits with 1 where a claim blocks it or the proof differs',
    )
    .requiredOption('--to <target>', 'a target of the model, by its name')
    .option('--data <dir>', 'folder of the data files; by default that of the model')
    .option(...NO_CACHE)
    .option('--plan', 'prints what would be done, and does nothing')
    .option('--definitions', 'leaves the rows at the target as they are')
    .option(
      '--parts <list>',
      'of tables in parts these alone: loan:2025,loan:2026; `loan:(none)` has no value',
    )
    .option('--yes', 'does it without asking')
    .option('--allow-path', "lets a target lie outside of the model's folder")
    .action(async (modelFile: string, options: Options) => {
      const document = readText(modelFile, 'model file');
      const { model, claims, data } = await judgeFolder(modelFile, options);
      const target = targetOf(model.targets ?? [], options.to);
      const refusal = refusalOfDefinitions(againstDefinitions(claims));
      if (refusal !== undefined) {
        process.stderr.write(`crease: ${refusal}\n`);
        process.exitCode = 1;
        return;
      }
      const order: ReleaseOrder = {
        data,
        claims,
        document,
        revision: null,
        author: process.env.CREASE_AUTHOR ?? null,
        now: new Date(),
        definitionsOnly: options.definitions ?? false,
        parts: partsOf(options.parts),
        tell: () => undefined,
      };
      await act(target, order, { ...options, folder: dirname(resolve(modelFile)) });
    });
}

/** Plans, asks, and releases. */
async function act(
  target: ReleaseTarget,
  order: ReleaseOrder,
  options: Options & { folder: string },
): Promise<void> {
  try {
    const { folder, allowPath = false } = options;
    const way = wayTo(target, { folder, allowPath, environment: process.env });
    const plan = await way.plan(order);
    process.stdout.write(planText(plan));
    if (plan.refusals.length > 0) throw new CommandError('nothing was released: see what cannot be done');
    if (options.plan) return;
    if (!options.yes && !(await agreed())) throw new CommandError('nothing was released: say --yes to do it');
    process.stdout.write(doneText(await way.run(order)));
  } catch (error) {
    if (error instanceof ProofError) {
      process.stderr.write(`crease: ${error.message}\n`);
      process.exitCode = 1;
      return;
    }
    throw error;
  }
}

/** Asks on a terminal; elsewhere nobody can be asked. */
async function agreed(): Promise<boolean> {
  if (!process.stdin.isTTY || !process.stdout.isTTY) return false;
  const terminal = createInterface({ input: process.stdin, output: process.stdout });
  try {
    return /^y(es)?$/i.test((await terminal.question('Release? (yes or no) ')).trim());
  } finally {
    terminal.close();
  }
}

function doneText({ plan, proof, rows, seconds }: ReleaseOutcome): string {
  const notes = proof.notes.map((note) => `  ${note}\n`).join('');
  return `release ${plan.release} done: ${counted(rows, 'row')} written in ${seconds.toFixed(1)} s; rows and sums of ${proof.tables} tables and ${proof.questions} questions compared, all equal\n${notes}`;
}

function targetOf(targets: readonly ReleaseTarget[], name: string): ReleaseTarget {
  const found = targets.find((t) => sameName(t.name, name));
  if (found) return found;
  const names = targets.map((t) => t.name).join(', ');
  throw new CommandError(
    `the model has no target "${name}": ${names === '' ? 'it has none yet' : `it has ${names}`}`,
  );
}

function partsOf(list: string | undefined): { table: string; part: string }[] {
  if (list === undefined) return [];
  return list.split(',').map((text) => {
    const at = text.indexOf(':');
    if (at < 1) throw new CommandError(`a part is written with its table, as loan:2025; "${text}" is not`);
    const table = text.slice(0, at).trim();
    return { table, part: partNamed(table, text.trim()) };
  });
}
