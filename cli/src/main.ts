import { Command } from 'commander';
import { config } from 'zod';
import { VERSION } from '@crease/core/interchange';
import { DocumentError } from '@crease/core/model';
import { DataError } from '@crease/core/query';
import { ReadError } from '@crease/core/reading';
import { writeCache } from './folderRows.ts';
import { CommandError } from './input.ts';
import { addCommands } from './commands/index.ts';

// A command reads one model: to write code for its schema takes longer than to read it without.
if (process.argv[2] !== 'serve') config({ jitless: true });
const program = new Command('crease')
  .description('Design star and snowflake semantic models and hold every claim they make against the data')
  .version(VERSION);
program.exitOverride();
program.configureOutput({ writeErr: (text) => process.stderr.write(text) });

/** Messages for people end with status 2; anything else is a bug and says so, without a trace. */
function fail(error: unknown): void {
  if (
    error instanceof CommandError ||
    error instanceof DocumentError ||
    error instanceof DataError ||
    error instanceof ReadError
  ) {
    process.stderr.write(`crease: ${error.message}\n`);
  } else if (error instanceof Error && 'exitCode' in error) {
    // Commander has said it already; asking for help is no failure.
    process.exitCode = (error as Error & { exitCode: number }).exitCode === 0 ? 0 : 2;
    return;
  } else {
    process.stderr.write(
      `crease: internal error: ${error instanceof Error ? error.message : String(error)}\n`,
    );
    if (process.env.CREASE_DEBUG) process.stderr.write(`${(error as Error).stack ?? ''}\n`);
  }
  process.exitCode = 2;
}

async function run(): Promise<void> {
  try {
    await addCommands(program, process.argv[2]);
    await program.parseAsync();
    writeCache();
  } catch (error) {
    fail(error);
  }
}

void run();
