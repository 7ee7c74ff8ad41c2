import type { Command } from 'commander';

type Add = (program: Command) => void;

/**
 * Commands by name, in the order in which help lists them. Each is read when it is asked for: all of them
 * together are most of the program, and take longer to compile than a question takes to answer.
 */
const COMMANDS: Readonly<Record<string, () => Promise<Add>>> = {
  cache: async () => (await import('./cache.ts')).addCache,
  catalogue: async () => (await import('./catalogue.ts')).addCatalogue,
  check: async () => (await import('./check.ts')).addCheck,
  query: async () => (await import('./query.ts')).addQuery,
  rows: async () => (await import('./rows.ts')).addRows,
  sql: async () => (await import('./sql.ts')).addSql,
  profile: async () => (await import('./profile.ts')).addProfile,
  propose: async () => (await import('./propose.ts')).addPropose,
  import: async () => (await import('./import.ts')).addImport,
  export: async () => (await import('./export.ts')).addExport,
  format: async () => (await import('./format.ts')).addFormat,
  ddl: async () => (await import('./ddl.ts')).addDdl,
  schema: async () => (await import('./ddl.ts')).addDdl,
  diff: async () => (await import('./diff.ts')).addDiff,
  merge: async () => (await import('./diff.ts')).addDiff,
  demo: async () => (await import('./demo.ts')).addDemo,
  load: async () => (await import('./load.ts')).addLoad,
  release: async () => (await import('./release.ts')).addRelease,
  schedule: async () => (await import('./schedule.ts')).addSchedule,
  serve: async () => (await import('./serve.ts')).addServe,
};

/** Adds the command that is asked for; all of them where none of that name is (help, a typing error). */
export async function addCommands(program: Command, asked: string | undefined): Promise<void> {
  if (asked === '--version' || asked === '-V') return;
  const known = asked !== undefined && Object.hasOwn(COMMANDS, asked) ? [COMMANDS[asked]!] : undefined;
  const adds = await Promise.all((known ?? Object.values(COMMANDS)).map((read) => read()));
  // Some files have two commands.
  for (const add of new Set(adds)) add(program);
}
