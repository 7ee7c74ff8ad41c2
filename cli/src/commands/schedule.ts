import { existsSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import type { Command } from 'commander';
import { CommandError } from '../input.ts';

interface Options {
  readonly workspace: string;
  readonly json?: boolean;
}

export function addSchedule(program: Command): void {
  program
    .command('schedule [print]')
    .description("the load plans with their next five times; print: lines for the system's own scheduler")
    .option('--workspace <file>', 'the workspace file', 'crease.workspace.sqlite')
    .option('--json', 'the plans as JSON')
    .action(async (what: string | undefined, options: Options) => {
      const file = resolve(options.workspace);
      if (what !== undefined && what !== 'print')
        throw new CommandError(`schedule ${what} is nothing to do: write schedule, or schedule print`);
      if (!existsSync(file))
        throw new CommandError(`there is no workspace ${options.workspace}: name one with --workspace`);
      // The server is loaded only here: the other commands start fast without it.
      const { openWorkspace, Plans, Settings } = await import('@crease/server/store');
      const { nextTimes } = await import('@crease/server');
      const db = openWorkspace(file);
      try {
        const zone = new Settings(db).timeZone;
        const plans = new Plans(db).all().map(({ modelId, plan }) => ({
          model: modelId,
          name: plan.name,
          at: plan.at ?? null,
          isPaused: plan.isPaused,
          recipes: plan.steps.map((s) => s.recipe),
          next: plan.at === undefined || plan.isPaused ? [] : nextTimes(plan.at, zone, new Date()),
        }));
        if (options.json) process.stdout.write(`${JSON.stringify({ timeZone: zone, plans }, null, 2)}\n`);
        else if (what === 'print') process.stdout.write(cronLines(plans, zone, file));
        else
          process.stdout.write(plans.map((p) => planText(p, zone)).join('') || 'there are no load plans\n');
      } finally {
        db.close();
      }
    });
}

interface Listed {
  readonly model: number;
  readonly name: string;
  readonly at: string | null;
  readonly isPaused: boolean;
  readonly recipes: readonly string[];
  readonly next: readonly string[];
}

function planText({ name, at, isPaused, recipes, next }: Listed, zone: string): string {
  const when = at === null ? 'by hand' : `${at} (${zone})${isPaused ? ', paused' : ''}`;
  return `${name}: ${when}: ${recipes.join(', ')}\n${next.map((time) => `  ${time}\n`).join('')}`;
}

const quoted = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;

/**
 * Lines for cron: whoever has the system's own scheduler run the plans pauses them here, or does not serve
 * the workspace.
 */
function cronLines(plans: readonly Listed[], zone: string, file: string): string {
  const timed = plans.filter((p) => p.at !== null && !p.isPaused);
  const lines = timed.map((p) =>
    `${p.at} cd ${quoted(dirname(file))} && crease load ${quoted(p.name)} --model ${p.model} --workspace ${quoted(file)}`
      // Cron takes a percent sign for the end of the line.
      .replaceAll('%', '\\%'),
  );
  return lines.length === 0
    ? '# there are no load plans with times\n'
    : `CRON_TZ=${zone}\n${lines.join('\n')}\n`;
}
