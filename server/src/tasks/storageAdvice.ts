import type { Fold } from '@crease/core/storage';
import { adviceOn, measureFolds, usesOfColumns } from '@crease/core/storage';
import type { ModelData } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { FiguresOfModel } from './keptFigures.ts';
import { dataOf } from './modelRows.ts';

/** What was advised on the rows of a revision, which do not change. */
const known = new WeakMap<ModelData, ReturnType<typeof adviceOn>>();

/** What would make a model lighter; kept until what it rests on changes. */
export const storageAdvice = task((input: ModelVersion) => {
  const data = dataOf(input);
  const found = known.get(data) ?? advised(data, input);
  known.set(data, found);
  return found;
});

function advised(data: ModelData, input: ModelVersion) {
  const figures = new FiguresOfModel(data.model, input);
  const uses = [...usesOfColumns(data)];
  const advice = figures.ofModel('advice', uses, () => adviceOn(data));
  figures.save();
  return advice;
}

/** What several ways together make of a model. */
export const folds = task((input: ModelVersion & { readonly folds: readonly Fold[] }) =>
  measureFolds(dataOf(input), input.folds),
);
