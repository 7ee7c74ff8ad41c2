import type { Profile } from '@crease/core/storage';
import { profileDocument, profileModel } from '@crease/core/storage';
import { isDerived } from '@crease/core/model';
import type { Model } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { Figures, sourceKey } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { FiguresOfModel } from './keptFigures.ts';
import { connection, dataOf } from './modelRows.ts';

interface Input extends ModelVersion {
  /** Of the revision. */
  readonly number: number;
  readonly says: string;
}

/** What was found of the rows of a revision, which do not change. */
const known = new WeakMap<ModelData, { readonly profile: Profile; readonly at: string }>();

/** What a model weighs; it is kept to be compared with later ones. */
export const profile = task((input: Input) => {
  const start = performance.now();
  const data = dataOf(input);
  const store = new Figures(connection(input.workspace));
  const found = known.get(data) ?? measured(data, input, store);
  known.set(data, found);
  return {
    ...found,
    file: store.fileSizes(input.modelId, weighedColumns(data.model, input.versions)),
    revision: input.number,
    elapsedMs: Math.round(performance.now() - start),
  };
});

function measured(data: ModelData, input: Input, store: Figures) {
  const figures = new FiguresOfModel(data.model, input);
  const found = profileModel(data, figures);
  figures.save(true);
  const at = new Date().toISOString();
  const made = { at, revision: input.number, formulas: true };
  store.keepProfile(input.modelId, input.says, profileDocument(found, data.model, made));
  return { profile: found, at };
}

/** Whether a stored column is one that the model weighs. */
function weighedColumns(model: Model, versions: ModelVersion['versions']) {
  const names = new Map<number, Set<string>>();
  for (const table of model.tables) {
    const version = versions[sourceKey(table)];
    if (table.role === 'staging' || isDerived(table) || version === undefined) continue;
    const declared = table.columns
      .filter((c) => c.formula === undefined)
      .flatMap((c) => [c.name, c.sourceName ?? c.name].map((name) => name.toLowerCase()));
    for (const id of version.split('+').map(Number)) names.set(id, new Set(declared));
  }
  return (tableId: number, column: string, sourceName: string): boolean =>
    (names.get(tableId)?.has(column) ?? false) || (names.get(tableId)?.has(sourceName) ?? false);
}
