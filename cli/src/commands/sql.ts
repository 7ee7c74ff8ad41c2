import type { Command } from 'commander';
import type { DataOracle } from '@crease/core/formula';
import { FormulaChecker } from '@crease/core/formula';
import type { Model } from '@crease/core/model';
import { readQuery } from '@crease/core/model';
import { DataError } from '@crease/core/query';
import { ReadError } from '@crease/core/reading';
import { compileQuery, DIALECT_NAMES, dialectNamed, printedSql } from '@crease/core/sql';
import { dataFolder, folderData } from '@crease/server/files';
import { CommandError, loadModel, readText, todayOf } from '../input.ts';

export function addSql(program: Command): void {
  program
    .command('sql <model>')
    .description('prints the SQL that answers a query on tables laid out as `ddl` creates them')
    .requiredOption('--query <file>', 'the query as JSON; - reads standard input')
    .option('--dialect <name>', DIALECT_NAMES, 'sqlite')
    .option(
      '--data <dir>',
      'folder of the data files; by default that of the model. Looked at only where a fact refers to a level',
    )
    .action((modelFile: string, options: { query: string; dialect: string; data?: string }) => {
      const dialect = dialectNamed(options.dialect);
      if (!dialect) throw new CommandError(`there is no dialect "${options.dialect}": use ${DIALECT_NAMES}`);
      const model = loadModel(modelFile);
      const query = readQuery(readText(options.query, 'query'));
      const today = todayOf(model);
      const checker = new FormulaChecker(
        model,
        levelOracle(model, dataFolder(modelFile, options.data), today),
      );
      process.stdout.write(printedSql(compileQuery({ model, checker, today }, query, dialect), dialect));
    });
}

/**
 * Which columns a level determines is a matter of the data; without them, columns are taken to be coarse
 * enough.
 */
function levelOracle(model: Model, folder: string, today: number): DataOracle {
  const data = folderData(model, folder, today);
  return {
    determines: (table, levelColumns, column) => {
      try {
        return data.determines(table, levelColumns, column);
      } catch (error) {
        if (!(error instanceof ReadError || error instanceof DataError)) throw error;
        process.stderr.write(
          `crease: ${error.message}; ${column} is assumed to have one value within each level of ${table}\n`,
        );
        return true;
      }
    },
  };
}
