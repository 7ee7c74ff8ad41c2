import { writeFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { ModelChange } from '@crease/core/changes';
import { diffModels, mergeModels } from '@crease/core/changes';
import { writeModel } from '@crease/core/model';
import { CommandError, loadModel } from '../input.ts';

/** Comparing model files and bringing them together, for version control. */
export function addDiff(program: Command): void {
  program
    .command('diff <a> <b>')
    .description('compares two model files by their objects; exits with 1 where they differ')
    .option('--json', 'one JSON document')
    .action((a: string, b: string, options: { json?: boolean }) => {
      const changes = diffModels(loadModel(a), loadModel(b));
      process.stdout.write(
        options.json ? `${JSON.stringify(changes, null, 2)}\n` : changes.map(changeText).join(''),
      );
      process.exitCode = changes.length > 0 ? 1 : 0;
    });
  program
    .command('merge <base> <ours> <theirs>')
    .description(
      'merges two model files that come from one, object by object; where both changed an object OURS stands, and the conflicts are printed as JSON. Exits with 1 where there are some',
    )
    .option('--out <file>', 'where the merged model is written; by default in place of OURS')
    .action((base: string, ours: string, theirs: string, options: { out?: string }) => {
      const { model, conflicts } = mergeModels(loadModel(base), loadModel(ours), loadModel(theirs));
      const out = options.out ?? ours;
      try {
        writeFileSync(out, writeModel(model));
      } catch (error) {
        throw new CommandError(`${out} cannot be written (${(error as NodeJS.ErrnoException).code})`);
      }
      process.stdout.write(`${JSON.stringify(conflicts, null, 2)}\n`);
      process.exitCode = conflicts.length > 0 ? 1 : 0;
    });
}

const SIGNS: Readonly<Record<ModelChange['change'], string>> = {
  added: '+',
  removed: '-',
  changed: '~',
  renamed: '>',
};

function changeText({ kind, name, change, was, now, guess }: ModelChange): string {
  const head = `${SIGNS[change]} ${kind} ${name}`;
  if (change === 'renamed')
    return `${head}, was ${String(was)}${guess ? ' (a guess: they are alike)' : ''}\n`;
  if (change !== 'changed') return `${head}\n`;
  const [before, after] = [was, now] as Record<string, unknown>[];
  const fields = [...new Set([...Object.keys(before!), ...Object.keys(after!)])];
  const text = (value: unknown) =>
    value === undefined ? '(none)' : typeof value === 'string' ? value : JSON.stringify(value);
  return `${head}\n${fields.map((f) => `    ${f}: ${text(before![f])} → ${text(after![f])}\n`).join('')}`;
}
