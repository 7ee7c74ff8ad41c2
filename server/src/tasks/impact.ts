import type { ImpactState } from '@crease/contract';
import { impactOf } from '@crease/core/changes';
import { touchedAtTargets } from '@crease/core/release';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf, makeData } from './modelRows.ts';

/** What an edit would do to numbers and targets; `document` is of now, `edited` the model with the edit. */
export const impact = task(({ edited, ...version }: { edited: string } & ModelVersion): ImpactState => {
  const [before, after] = [dataOf(version), makeData({ ...version, document: edited })];
  const hasTargets = (before.model.targets ?? []).length > 0;
  return {
    ...impactOf(before, after),
    targets: hasTargets ? touchedAtTargets(before.model, after.model) : [],
  };
});
