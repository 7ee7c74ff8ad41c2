import { writeFileSync } from 'node:fs';
import type { Command } from 'commander';
import { readCells, readQuery } from '@crease/core/model';
import type { AskedCell, Query } from '@crease/core/model';
import { csvLine } from '@crease/core/interchange';
import type { AggregateRows } from '@crease/core/rows';
import { rowsBehind } from '@crease/core/rows';
import { NO_CACHE, rowsOfFolder } from '../folderRows.ts';
import { CommandError, loadModel, readText } from '../input.ts';
import type { DatabaseOptions } from '../onDatabase.ts';
import { onDatabase, withDatabase } from '../onDatabase.ts';

interface Options extends DatabaseOptions {
  query: string;
  data?: string;
  cache?: boolean;
  cell?: string;
  listing?: string;
  columns?: string;
  limit?: string;
  aggregate?: string;
  json?: boolean;
  csv?: boolean;
  parquet?: string;
}

export function addRows(program: Command): void {
  withDatabase(program.command('rows <model>'))
    .description('lists the rows behind a cell of an answer, and shows that they add up to it')
    .requiredOption('--query <file>', 'the query as JSON; - reads standard input')
    .option('--data <dir>', 'folder of the data files; by default that of the model')
    .option(...NO_CACHE)
    .option(
      '--cell <json>',
      'which cell: { "by": [ members ], "across": [ members ], "measure": … }; fewer members are a subtotal, a list several cells; by default the total of the first measure',
    )
    .option('--listing <name>', 'a listing of the model')
    .option('--columns <list>', 'columns as table.column, with commas between')
    .option('--limit <n>', 'how many rows are listed')
    .option('--aggregate <n>', 'which aggregate of the measure, from 1, for --csv and --parquet')
    .option('--json', 'as JSON')
    .option('--csv', 'as delimited text')
    .option('--parquet <file>', 'into a Parquet file')
    .action(async (modelFile: string, options: Options) => {
      const model = loadModel(modelFile);
      const query = readQuery(readText(options.query, 'query'));
      const cells = options.cell === undefined ? [firstTotal(query)] : readCells(options.cell);
      const limit = wholeNumber(options.limit, '--limit', 0);
      const columns = options.columns?.split(',').map((c) => c.trim());
      const request = { query, cells, listing: options.listing, columns, limit };
      const { on } = options;
      const found =
        on === undefined
          ? rowsBehind(await rowsOfFolder(model, modelFile, options), request)
          : await onDatabase(model, modelFile, { ...options, on }, (at) => at.rowsBehind(request));
      if (options.json) return void process.stdout.write(`${JSON.stringify(found)}\n`);
      if (options.csv || options.parquet !== undefined) {
        const one = chosen(found.aggregates, options.aggregate);
        for (const note of notesOf(one)) process.stderr.write(`crease: ${note}\n`);
        if (options.parquet !== undefined) {
          const { rowsParquet } = await import('@crease/server/rows-parquet');
          writeFileSync(options.parquet, rowsParquet(one));
        } else process.stdout.write([headings(one), ...one.rows].map((line) => csvLine(line)).join(''));
        return;
      }
      process.stdout.write(found.aggregates.map(asText).join('\n'));
    });
}

/** The total of the first measure of a query. */
function firstTotal({ measures: [first] }: Query): AskedCell {
  if (typeof first === 'string') return { measure: first };
  if (first && 'formula' in first) return { measure: first.name };
  throw new CommandError('name a cell with --cell, as in --cell \'{ "measure": "Loans", "by": [] }\'');
}

function wholeNumber(text: string | undefined, option: string, least: number): number | undefined {
  if (text === undefined) return undefined;
  if (!/^\d+$/.test(text) || Number(text) < least)
    throw new CommandError(`${option} takes a whole number from ${least} on, not ${text}`);
  return Number(text);
}

/** The aggregate that is written. Throws CommandError where it has to be named. */
function chosen(aggregates: readonly AggregateRows[], asked: string | undefined): AggregateRows {
  const listed = aggregates.map((a, i) => `${i + 1}: ${a.text}`).join(', ');
  if (aggregates.length === 0) throw new CommandError('the measure does not apply there: it has no rows');
  const place = wholeNumber(asked, '--aggregate', 1) ?? (aggregates.length === 1 ? 1 : undefined);
  if (place === undefined)
    throw new CommandError(`the measure has several aggregates: choose one with --aggregate (${listed})`);
  const found = aggregates[place - 1];
  if (!found) throw new CommandError(`there is no aggregate ${place}: ${listed}`);
  return found;
}

const headings = ({ columns }: AggregateRows): string[] => columns.map((c) => c.title ?? c.name);

/** What the lines alone do not say. */
function notesOf({ sum, of, more, hiddenByListing, standsFor }: AggregateRows): string[] {
  return [
    ...(more > 0 ? [`${more} more rows are not listed: --limit says how many are`] : []),
    ...(hiddenByListing > 0 ? [`${hiddenByListing} rows are hidden by the listing's own condition`] : []),
    standsFor ?? `the rows make ${sum ?? 'null'}; the answer has ${of ?? 'null'}`,
  ];
}

function asText(aggregate: AggregateRows): string {
  const lines = [headings(aggregate), ...aggregate.rows].map((line) =>
    line.map((cell) => String(cell ?? '·')),
  );
  const widths = aggregate.columns.map((_, c) => Math.max(...lines.map((line) => line[c]!.length)));
  const body = lines.map((line) =>
    line
      .map((cell, c) => cell.padEnd(widths[c]!))
      .join('  ')
      .trimEnd(),
  );
  return `${[`${aggregate.text} from ${aggregate.table}`, ...body, ...notesOf(aggregate)].join('\n')}\n`;
}
