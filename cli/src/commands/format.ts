import { writeFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { Model } from '@crease/core/model';
import { writeModel } from '@crease/core/model';
import { layOutFormula } from '@crease/core/formula';
import { loadModel } from '../input.ts';

export function addFormat(program: Command): void {
  program
    .command('format <model>')
    .description('lays out every formula; exit status 1 where something would change')
    .option('--write', 'writes the model file')
    .action((modelFile: string, options: { write?: boolean }) => {
      const model = loadModel(modelFile);
      const changed: string[] = [];
      const laidOut = (name: string, formula: string): string => {
        const made = layOutFormula(formula);
        if (made !== formula) changed.push(name);
        return made;
      };
      const after: Model = {
        ...model,
        tables: model.tables.map((t) => ({
          ...t,
          columns: t.columns.map((c) =>
            c.formula === undefined ? c : { ...c, formula: laidOut(`${t.name}.${c.name}`, c.formula) },
          ),
        })),
        ...(model.measures
          ? { measures: model.measures.map((m) => ({ ...m, formula: laidOut(m.name, m.formula) })) }
          : {}),
      };
      for (const name of changed)
        process.stdout.write(`${options.write ? 'laid out' : 'would change'}: ${name}\n`);
      if (options.write && changed.length > 0) writeFileSync(modelFile, writeModel(after));
      process.exitCode = changed.length > 0 && !options.write ? 1 : 0;
    });
}
