import { writeFileSync } from 'node:fs';
import type { Command } from 'commander';
import { readCell, readQuery } from '@crease/core/model';
import type { AskedCell, Query } from '@crease/core/model';
import { answerQuery, explainQuery, traceCell } from '@crease/core/query';
import type { Answer, ModelData } from '@crease/core/query';
import { explanationText } from '../explanationText.ts';
import { answerCsv, answerLines } from '@crease/core/interchange';
import { NO_CACHE, rowsOfFolder } from '../folderRows.ts';
import { CommandError, loadModel, readText } from '../input.ts';
import type { DatabaseOptions } from '../onDatabase.ts';
import { onDatabase, withDatabase } from '../onDatabase.ts';

interface Options extends DatabaseOptions {
  query: string;
  data?: string;
  cache?: boolean;
  json?: boolean;
  csv?: boolean;
  parquet?: string;
  null: string;
  doesNotApply: string;
  spreadsheet?: boolean;
  engine: string;
  trace?: boolean;
  explain?: boolean;
  cell?: string;
}

export function addQuery(program: Command): void {
  withDatabase(program.command('query <model>'))
    .description('answers a query on a model and its data')
    .requiredOption('--query <file>', 'the query as JSON; - reads standard input')
    .option('--data <dir>', 'folder of the data files; by default that of the model')
    .option(...NO_CACHE)
    .option('--json', 'the answer as JSON')
    .option('--csv', 'the answer as delimited text')
    .option('--parquet <file>', 'the answer as a Parquet file, without totals')
    .option('--null <text>', 'text for null in delimited output', '')
    .option('--does-not-apply <text>', 'text for "does not apply" in delimited output', '')
    .option(
      '--spreadsheet',
      'delimited text for a spreadsheet: texts that look like formulas are marked as texts',
    )
    .option('--engine <name>', 'columns or sql', 'columns')
    .option('--explain', 'tells how the question was worked out: passes over rows, with rows and times')
    .option('--trace', 'tells why one cell of the answer is what it is, as JSON; with --cell')
    .option('--cell <json>', 'which one: { "measure": …, "members": [ … ] }, in the order of by')
    .action(async (modelFile: string, options: Options) => {
      if (options.engine !== 'columns' && options.engine !== 'sql')
        throw new CommandError(`there is no engine "${options.engine}": use columns or sql`);
      const model = loadModel(modelFile);
      const query = readQuery(readText(options.query, 'query'));
      if (options.on !== undefined) {
        if (options.trace || options.explain)
          throw new CommandError(
            '--trace and --explain tell of columns; `crease sql` prints what a database runs',
          );
        const on = options.on;
        await write(
          await onDatabase(model, modelFile, { ...options, on }, (warehouse) => warehouse.answer(query)),
          options,
        );
        return;
      }
      const data = await rowsOfFolder(model, modelFile, options);
      if (options.trace) {
        process.stdout.write(`${JSON.stringify(traceCell(data, query, cellOf(options.cell)))}\n`);
        return;
      }
      if (options.explain) {
        if (options.engine === 'sql')
          throw new CommandError(
            '--explain tells of columns; `crease sql` prints what the other engine runs',
          );
        const { explanation } = explainQuery(data, query);
        process.stdout.write(
          options.json ? `${JSON.stringify(explanation)}\n` : explanationText(explanation),
        );
        return;
      }
      await write(options.engine === 'sql' ? await inSql(data, query) : answerQuery(data, query), options);
    });
}

/** Writes an answer in the form that was asked for. */
async function write(answer: Answer, options: Options): Promise<void> {
  if (options.parquet !== undefined) {
    const { answerParquet } = await import('@crease/server/rows-parquet');
    try {
      writeFileSync(options.parquet, answerParquet(answer));
    } catch (error) {
      throw new CommandError(
        `${options.parquet} cannot be written (${(error as NodeJS.ErrnoException).code})`,
      );
    }
    if (!options.json && !options.csv) return;
  }
  const writing = {
    null: options.null,
    doesNotApply: options.doesNotApply,
    totals: true,
    spreadsheet: options.spreadsheet ?? false,
  };
  if (options.csv) for (const note of csvNotes(answer)) process.stderr.write(`crease: ${note}\n`);
  process.stdout.write(
    options.json ? `${JSON.stringify(answer)}\n` : options.csv ? answerCsv(answer, writing) : asTable(answer),
  );
}

/** The cell that is asked about. Throws CommandError where it is none. */
function cellOf(text: string | undefined): AskedCell {
  if (text === undefined)
    throw new CommandError(
      '--trace asks about one cell: name it with --cell \'{"measure": …, "members": [ … ]}\'',
    );
  return readCell(text);
}

/** The database is loaded only when it is asked for: a cold question on columns stays quick. */
async function inSql(data: ModelData, query: Query): Promise<Answer> {
  const { answerInSqlite } = await import('@crease/server/sql');
  return answerInSqlite(data, query);
}

/** What the lines alone do not say. */
const csvNotes = ({ columns, totals, unreached }: Answer): string[] => [
  ...(totals && columns.some((c) => c.kind === 'by') ? ['the last line holds the totals'] : []),
  ...unreached.map(([measure, column]) => `${measure} does not apply: ${column} does not reach it`),
];

function asTable(answer: Answer): string {
  const lines = answerLines(answer, { null: '·', doesNotApply: '·', totals: true });
  const rows = lines.map((line) => line.map((cell) => (cell === null ? '' : String(cell))));
  const widths = answer.columns.map((_, c) => Math.max(...rows.map((row) => (row[c] ?? '').length)));
  const numeric = answer.columns.map((c) => /^(integer|double|decimal)/.test(c.type));
  const text = rows.map((row) =>
    widths
      .map((width, c) => (numeric[c] ? (row[c] ?? '').padStart(width) : (row[c] ?? '').padEnd(width)))
      .join('  ')
      .trimEnd(),
  );
  const unreached = answer.unreached.map(
    ([measure, column]) => `${measure} does not apply: ${column} does not reach it`,
  );
  return `${[...text, ...unreached].join('\n')}\n`;
}
