import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Model } from '@crease/core/model';
import { acceptAll, proposeStar } from '@crease/core/propose';
import { draftTable, openFolder, previewWhole } from '@crease/server/files';

/** What a modeler would have of a folder of files. */
interface Truth {
  readonly roles: Readonly<Record<string, string>>;
  /** Columns of the key, with commas between; empty where a table has none. */
  readonly keys: Readonly<Record<string, string>>;
  /** `from.column > to.column` */
  readonly relationships: readonly string[];
  readonly types: Readonly<Record<string, string>>;
  /** The use, and of a quantity its aggregate. */
  readonly uses: Readonly<Record<string, string>>;
}

/** One subject of a draft: what is right, and what differs, in words. */
export interface Score {
  readonly right: number;
  readonly of: number;
  readonly wrong: readonly string[];
}
export type DraftScores = Readonly<Record<keyof Truth, Score>>;

/** The model that is drafted from the files of a folder, as `crease propose` writes it. */
async function draftOf(folder: string): Promise<Model> {
  const files = readdirSync(folder)
    .filter((name) => /\.(csv|tsv|txt)$/.test(name))
    .sort();
  const tables = [];
  for (const file of files) tables.push(draftTable(file, await previewWhole(join(folder, file))));
  const drafted: Model = { crease: 1, name: 'draft', tables };
  return acceptAll(drafted, proposeStar(await openFolder(drafted, folder, 0)));
}

/** Compares a folder's draft with the `truth.json` beside its files. */
export async function scoreDraft(folder: string): Promise<DraftScores> {
  const truth = JSON.parse(readFileSync(join(folder, 'truth.json'), 'utf8')) as Truth;
  const model = await draftOf(folder);
  const tableOf = (name: string) => model.tables.find((t) => t.name === name);
  const columnOf = (path: string) => {
    const [table, column] = [path.slice(0, path.indexOf('.')), path.slice(path.indexOf('.') + 1)];
    return tableOf(table)?.columns.find((c) => c.name === column);
  };
  const useOf = (path: string) => {
    const column = columnOf(path);
    return column?.use === 'quantity' ? `quantity ${column.aggregate ?? 'sum'}` : (column?.use ?? 'none');
  };
  const found = (model.relationships ?? []).map(
    (r) => `${r.from.table}.${r.from.columns.join('+')} > ${r.to.table}.${r.to.columns.join('+')}`,
  );
  return {
    roles: compare(truth.roles, (name) => tableOf(name)?.role),
    keys: compare(truth.keys, (name) => (tableOf(name)?.key ?? []).join(', ')),
    types: compare(truth.types, (path) => columnOf(path)?.type),
    uses: compare(truth.uses, useOf),
    relationships: {
      right: truth.relationships.filter((r) => found.includes(r)).length,
      of: new Set([...truth.relationships, ...found]).size,
      wrong: [
        ...truth.relationships.filter((r) => !found.includes(r)).map((r) => `missing: ${r}`),
        ...found.filter((r) => !truth.relationships.includes(r)).map((r) => `not so: ${r}`),
      ],
    },
  };
}

function compare(truth: Readonly<Record<string, string>>, find: (name: string) => string | undefined): Score {
  const wrong = Object.entries(truth).flatMap(([name, wanted]) => {
    const found = find(name);
    return found === wanted ? [] : [`${name}: ${found ?? 'none'} instead of ${wanted || 'none'}`];
  });
  const of = Object.keys(truth).length;
  return { right: of - wrong.length, of, wrong };
}
