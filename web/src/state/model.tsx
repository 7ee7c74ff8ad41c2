import { createContext, useContext, useMemo } from 'react';
import type { ReactNode } from 'react';
import type { ClaimsState, JobState, ModelState } from '@crease/contract';
import type { Edit } from '@crease/core/edit';
import type { Measure, Model, Perspective } from '@crease/core/model';
import { ModelNames, sameName, seenBy, withFamilies } from '@crease/core/model';
import { useAddress } from './address.ts';
import { thisWindow } from './api.ts';
import type { StepAsked } from './changes.ts';
import { useChanges } from './changes.ts';
import type { Notice } from './liveModel.ts';
import { useLiveModel } from './liveModel.ts';
import type { Questions } from './questions.ts';
import { questionsOfModel } from './questions.ts';

export interface ModelContext {
  readonly id: number;
  /** Where questions about it go. */
  readonly questions: Questions;
  /** Whoever looks at a release changes nothing, and sees no more than is shown. */
  readonly isReader: boolean;
  readonly state: ModelState;
  /** The model, or what the audience that the address names sees of it. */
  readonly model: Model;
  /** All of the model, whoever looks at it: what formulas are checked by. */
  readonly whole: Model;
  /** The audience through whose eyes the model is looked at. */
  readonly audience: Perspective | undefined;
  readonly names: ModelNames;
  /** Those of the model, and those that its period families make. */
  readonly measures: readonly Measure[];
  readonly claims: ClaimsState | undefined;
  readonly jobs: readonly JobState[];
  /**
   * Makes an edit on the revision that is shown; on a conflict nothing is overwritten, and the person is
   * told. An edit that is given as a function is made of the newest model after all acts before it, so that
   * what is typed quickly is no conflict with oneself.
   */
  readonly edit: (edit: Edit | ((model: Model) => Edit), says: string) => Promise<boolean>;
  /**
   * Whether the last change was made in this window, or by nobody in particular: then it can be undone here.
   */
  readonly canUndo: boolean;
  /** Takes back the last change; where that changes rows it is asked first. */
  readonly undo: () => Promise<void>;
  readonly redo: () => Promise<void>;
  /** An undo or redo that waits for a word, since it changes rows. */
  readonly asking: StepAsked | undefined;
  readonly answerAsked: (go: boolean) => Promise<void>;
  readonly notice: Notice | undefined;
  readonly tell: (notice: Notice | undefined) => void;
  /** Says what went wrong with something the person asked for. */
  readonly fail: (error: unknown) => void;
}

const Context = createContext<ModelContext | undefined>(undefined);

/** Gives a model to everything below that was not opened in the workbench. */
export const GivenModel = Context.Provider;

export function useModel(): ModelContext {
  const value = useContext(Context);
  if (!value) throw new Error('no model is open here');
  return value;
}

/** Holds the open model, keeps it in step with the server's events, and gives edits to everything below. */
export function ModelProvider({
  id,
  waiting,
  failed,
  children,
}: {
  id: number;
  waiting: ReactNode;
  failed: (error: unknown) => ReactNode;
  children: ReactNode;
}) {
  const live = useLiveModel(id);
  const { state, error, claims, jobs, notice, tell, fail } = live;
  const [params] = useAddress();
  const as = params.get('as') ?? '';
  const audience = (state?.model.perspectives ?? []).find((p) => sameName(p.name, as));

  const changes = useChanges(id, live, audience);

  const document = state?.model;
  const known = useMemo(() => {
    if (!document) return undefined;
    const model = audience ? seenBy(document, audience) : document;
    const all = withFamilies(document).measures ?? [];
    // Measures over periods are shown one by one; their titles are those of the perspective.
    const measures = audience ? (seenBy({ ...document, measures: all }, audience).measures ?? []) : all;
    return { model, names: new ModelNames(model), measures };
  }, [document, audience]);
  const value = useMemo<ModelContext | undefined>(() => {
    if (!state) return undefined;
    return {
      id,
      questions: questionsOfModel(id, state.revision.id),
      isReader: false,
      state,
      model: known!.model,
      whole: state.model,
      audience,
      names: known!.names,
      measures: known!.measures,
      claims,
      jobs,
      notice,
      tell,
      fail,
      canUndo: state.canUndo && (state.revision.by === '' || state.revision.by === thisWindow()),
      ...changes,
    };
  }, [id, state, known, audience, claims, jobs, notice, tell, fail, changes]);

  if (error && !state) return failed(error);
  return value ? <Context.Provider value={value}>{children}</Context.Provider> : waiting;
}
