import { useCallback, useEffect, useMemo, useState } from 'react';
import type { ModelState, UndoState } from '@crease/contract';
import { api } from '@crease/contract';
import type { Edit } from '@crease/core/edit';
import type { Model, Perspective } from '@crease/core/model';
import { ApiError, ask } from './api.ts';
import type { Notice, useLiveModel } from './liveModel.ts';
import { inTurns, newest, newestFrom } from './turns.ts';

/** What undo or redo would do to rows. */
export interface StepAsked extends UndoState {
  readonly way: 'undo' | 'redo';
}

/**
 * Edits of a model, and undo and redo: each is made on the revision that is shown, after all acts before it;
 * on a conflict nothing is overwritten. Seen by an audience (`audience`), nothing is changed.
 */
export function useChanges(
  id: number,
  { state, mutate, tell, fail }: Pick<ReturnType<typeof useLiveModel>, 'state' | 'mutate' | 'tell' | 'fail'>,
  audience: Perspective | undefined,
) {
  // The newest state that this window knows, also before it is drawn: acts that follow each other quickly
  // wait for their turn and start from it.
  const [latest] = useState(newest<ModelState>);
  useEffect(() => latest.set(state), [latest, state]);
  const [inTurn] = useState(inTurns);
  /** Revisions that this window has made, by the one on which each was made. */
  const [followed] = useState(() => new Map<number, number>());

  const change = useCallback(
    async (
      made: (base: number) => Promise<ModelState>,
      done: (next: ModelState) => Notice | undefined,
      from: number | undefined = state?.revision.id,
    ): Promise<boolean> => {
      if (from === undefined) return false;
      try {
        const next = await made(from);
        followed.set(from, next.revision.id);
        latest.set(next);
        await mutate(next, { revalidate: false });
        tell(done(next));
        return true;
      } catch (reason) {
        if (reason instanceof ApiError && reason.detail.code === 'conflict') {
          await mutate();
          tell({ tone: 'wrong', text: reason.message });
        } else fail(reason);
        return false;
      }
    },
    [state, latest, followed, mutate, tell, fail],
  );

  const [asking, setAsking] = useState<StepAsked>();
  const step = useCallback(
    async (way: 'undo' | 'redo', says: string) =>
      void (await change(
        (base) => ask(api.models[way], { id }, { base }),
        () => ({ tone: 'plain', text: way === 'undo' ? `Undone: ${says}` : `Redone: ${says}` }),
        latest.get()?.revision.id,
      )),
    [id, change, latest],
  );
  const askToStep = useCallback(
    async (way: 'undo' | 'redo') => {
      try {
        const told = await ask(way === 'undo' ? api.models.previewUndo : api.models.previewRedo, { id });
        if (told.reason !== undefined) tell({ tone: 'wrong', text: told.reason });
        else if (told.rows.length > 0) setAsking({ ...told, way });
        else if (told.possible) await step(way, told.says);
      } catch (error) {
        fail(error);
      }
    },
    [id, step, tell, fail],
  );

  const makeEdit = useCallback(
    async (edit: Edit | ((model: Model) => Edit), says: string): Promise<boolean> => {
      if (audience) {
        // What is seen is not all, and has other titles: an edit of it would store these.
        tell({
          tone: 'wrong',
          text: `Nothing is changed while the model is seen as ${audience.name}: choose the modeler above first`,
        });
        return false;
      }
      const done = (): Notice => ({ tone: 'plain', text: says, undo: true });
      const send = (made: Edit, from?: number) =>
        change((base) => ask(api.models.edit, { id }, { base, edit: made, says }), done, from);
      if (typeof edit === 'function')
        return inTurn(async () => {
          const newestState = latest.get()!;
          const made = edit(newestState.model);
          return made.length === 0 || send(made, newestState.revision.id);
        });
      if (!edit.every((e) => e.do === 'set-column')) return send(edit);
      // What is set of a column rests on nothing else: over what this window has just done it is no conflict.
      const shown = state?.revision.id;
      return inTurn(() => send(edit, shown === undefined ? undefined : newestFrom(followed, shown)));
    },
    [id, state, change, inTurn, latest, followed, audience, tell],
  );

  return useMemo(
    () => ({
      edit: makeEdit,
      asking,
      undo: () => inTurn(() => askToStep('undo')),
      redo: () => inTurn(() => askToStep('redo')),
      answerAsked: async (go: boolean) => {
        setAsking(undefined);
        if (asking && go) await step(asking.way, asking.says);
      },
    }),
    [makeEdit, asking, inTurn, askToStep, step],
  );
}
