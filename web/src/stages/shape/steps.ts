import { useCallback, useMemo, useState } from 'react';
import type { StepsState, TriedRemedy } from '@crease/contract';
import { api } from '@crease/contract';
import type { Step, Table, UnfinishedStep } from '@crease/core/model';
import { argumentOf, stepsOf } from '@crease/core/model';
import type { StepState } from '@crease/core/shape';
import { declaredAfter } from '@crease/core/shape';
import { useModel } from '../../state/model.tsx';
import { useAnswer } from '../../state/useAnswer.ts';
import { useLater } from './useLater.ts';
import { useParam } from '../../state/selection.ts';

/** The step's verb, also of one that is switched off. */
export const verbOf = (step: Step): string => {
  const [verb = ''] = Object.keys(shownStep(step));
  return verb;
};
export const isOff = (step: Step): boolean => 'off' in step;
/** A step, or the one within it that is switched off. */
export const shownStep = (step: Step): Step => argumentOf(step, 'off') ?? step;
/** What a step gives its verb, complete or not. */
export const valueOf = (step: Step): unknown => (shownStep(step) as UnfinishedStep)[verbOf(step)];

/**
 * Steps as they are tried: what stands after each is worked out as one types, and nothing is kept until one
 * says so.
 */
export interface StepWork {
  readonly table: Table;
  readonly steps: readonly Step[];
  readonly trace: StepsState | undefined;
  readonly error: Error | undefined;
  /** The trace is of older steps. */
  readonly waiting: boolean;
  readonly changed: boolean;
  /** The step that is looked at, from 1. */
  readonly place: number;
  look(place: number): void;
  set(steps: readonly Step[]): void;
  reset(): void;
  /** Keeps the steps that are tried. */
  keep(): Promise<void>;
  /** Takes a way out of what a join does. */
  take(remedy: TriedRemedy): Promise<void>;
}

export function useStepWork(table: Table): StepWork {
  const { id, edit, state } = useModel();
  const kept = stepsOf(table);
  const keptText = JSON.stringify(kept);
  const [draft, setDraft] = useState<{ on: string; steps: readonly Step[] }>();
  // A draft is of the steps that it began with: when others are kept meanwhile, theirs are shown.
  const steps = draft && draft.on === keptText ? draft.steps : kept;
  const stepsText = JSON.stringify(steps);
  const tried = useLater(stepsText);
  const versions = state.stored.map((s) => s.loadedAt).join();
  const { data, error, isLoading } = useAnswer(api.shaping.trace, steps.length === 0 ? undefined : { id }, {
    body: { table: table.name, steps: JSON.parse(tried) as Record<string, unknown>[] },
    of: [state.revision.id, versions],
    keepPreviousData: true,
  });
  const [asked, setAsked] = useParam('step');
  const place = Math.min(Math.max(1, Number(asked) || steps.length), Math.max(1, steps.length));
  const set = useCallback((next: readonly Step[]) => setDraft({ on: keptText, steps: next }), [keptText]);
  const look = useCallback((next: number) => setAsked(String(next)), [setAsked]);
  const reset = useCallback(() => setDraft(undefined), []);
  const store = useCallback(
    async (
      wanted: readonly Step[],
      last: StepState | undefined,
      says: string,
      tables: readonly Table[] = [],
    ) => {
      if (!last) return;
      const made = tables.map((value) => ({ do: 'put-tables' as const, name: null, value: { ...value } }));
      const value = { ...declaredAfter(table, last).table, source: { steps: wanted.map((s) => ({ ...s })) } };
      if (await edit([...made, { do: 'put-tables', name: table.name, value }], says)) setDraft(undefined);
    },
    [table, edit],
  );
  const keep = useCallback(
    async () => store(steps, data?.states.at(-1), `change the steps of ${table.name}`),
    [store, steps, data, table.name],
  );
  const take = useCallback(
    async (remedy: TriedRemedy) =>
      store(remedy.steps, remedy.after, `${table.name}: ${remedy.says}`, remedy.tables),
    [store, table.name],
  );
  return useMemo(
    () => ({
      table,
      steps,
      trace: data,
      error,
      waiting: isLoading || tried !== stepsText,
      changed: stepsText !== keptText,
      place,
      look,
      set,
      reset,
      keep,
      take,
    }),
    [table, steps, data, error, isLoading, tried, stepsText, keptText, place, look, set, reset, keep, take],
  );
}
