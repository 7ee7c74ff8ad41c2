import type { Advice, Fold, Share } from '@crease/core/storage';
import { adviceOn, measureFolds, usesOfColumns } from '@crease/core/storage';
import type { ModelData } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { FiguresOfModel } from './keptFigures.ts';
import { dataOf } from './modelRows.ts';

/** What was advised on the rows of a revision, which do not change, by the share. */
const known = new WeakMap<ModelData, Map<string, Advice[]>>();

/** What would make a share of the columns lighter; kept until what it rests on changes. */
export const storageAdvice = task(({ share, ...version }: ModelVersion & { readonly share: Share }) => {
  const data = dataOf(version);
  const shares = known.get(data) ?? new Map<string, Advice[]>();
  known.set(data, shares);
  const name = `advice ${share.number} of ${share.of}`;
  const found = shares.get(name) ?? advised(data, version, name, share);
  shares.set(name, found);
  return found;
});

function advised(data: ModelData, version: ModelVersion, name: string, share: Share): Advice[] {
  const figures = new FiguresOfModel(data.model, version);
  const uses = [...usesOfColumns(data)];
  const advice = figures.ofModel(name, uses, () => adviceOn(data, share));
  figures.save();
  return advice;
}

/** What several ways together make of a model. */
export const folds = task((input: ModelVersion & { readonly folds: readonly Fold[] }) =>
  measureFolds(dataOf(input), input.folds),
);
