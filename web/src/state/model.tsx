import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState } from 'react';
import type { ReactNode } from 'react';
import { useSWRConfig } from 'swr';
import type { ClaimsState, JobState, LiveEvent, ModelState, UndoState } from '@crease/contract';
import { addressOf, api } from '@crease/contract';
import type { Edit } from '@crease/core/edit';
import type { Measure, Model, Perspective } from '@crease/core/model';
import { ModelNames, sameName, seenBy, withFamilies } from '@crease/core/model';
import { useAddress } from './address.ts';
import { ApiError, ask, thisWindow } from './api.ts';
import { inTurns, newest, newestFrom } from './turns.ts';
import type { Questions } from './questions.ts';
import { questionsOfModel } from './questions.ts';
import { useAnswer } from './useAnswer.ts';

/** A line at the foot of the frame: what just happened, or what went wrong. */
export interface Notice {
  readonly tone: 'plain' | 'wrong';
  readonly text: string;
  readonly undo?: boolean;
  /** Of an answer of the server that says no. */
  readonly code?: string;
  /** The job whose end it tells of. */
  readonly job?: string;
}

/** What undo or redo would do to rows. */
export interface StepAsked extends UndoState {
  readonly way: 'undo' | 'redo';
}

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
  const { mutate: refresh } = useSWRConfig();
  const { data: state, error, mutate } = useAnswer(api.models.get, { id });
  const { data: claims, mutate: refreshClaims } = useAnswer(api.claims.get, state ? { id } : undefined);
  const [jobs, setJobs] = useState<readonly JobState[]>([]);
  const [notice, tell] = useState<Notice>();

  useEffect(() => {
    const events = new EventSource(`/api${addressOf(api.events.follow, { id })}`);
    let lost = false;
    events.onopen = () => {
      if (lost) void mutate(); // events may have been missed in between
      lost = false;
    };
    events.onerror = () => (lost = true);
    events.onmessage = (message: MessageEvent<string>) => {
      const event = JSON.parse(message.data) as LiveEvent;
      if (event.kind === 'revision') {
        void mutate();
        if (event.by !== thisWindow() && event.by !== '')
          tell({ tone: 'plain', text: `Changed in another window: ${event.says}` });
      } else if (event.kind === 'claims') void refreshClaims();
      else setJobs((before) => [...before.filter((j) => j.id !== event.job.id), event.job]);
    };
    return () => events.close();
  }, [id, mutate, refreshClaims]);

  // What is derived from the model is asked for again when the model has another revision.
  const revision = state?.revision.id;
  useEffect(() => {
    if (revision !== undefined)
      void refresh(
        (key) => typeof key === 'string' && key.startsWith(`/models/${id}/`) && !key.endsWith('/claims'),
      );
  }, [revision, id, refresh]);
  // Rows may come under a revision that stays, as those of the demo do: all that was asked is asked again.
  const rows = state?.stored.map((s) => `${s.name} ${s.rows} ${s.loadedAt}`).join();
  const seen = useRef(rows);
  useEffect(() => {
    if (rows === seen.current) return;
    const isFirst = seen.current === undefined;
    seen.current = rows;
    const isOf = (key: unknown) => typeof key === 'string' && key.startsWith(`/models/${id}/`);
    if (!isFirst) void refresh((key) => isOf(Array.isArray(key) ? key[0] : key));
  }, [rows, id, refresh]);

  const fail = useCallback((reason: unknown) => {
    if (reason instanceof DOMException && reason.name === 'AbortError') return;
    tell({
      tone: 'wrong',
      text: reason instanceof Error ? reason.message : String(reason),
      ...(reason instanceof ApiError ? { code: reason.detail.code } : {}),
    });
  }, []);

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
    [state, latest, followed, mutate, fail],
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
    [id, step, fail],
  );

  const [params] = useAddress();
  const as = params.get('as') ?? '';
  const audience = (state?.model.perspectives ?? []).find((p) => sameName(p.name, as));

  const makeEdit = useCallback<ModelContext['edit']>(
    async (edit, says) => {
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
    [id, state, change, inTurn, latest, followed, audience],
  );

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
      edit: makeEdit,
      canUndo: state.canUndo && (state.revision.by === '' || state.revision.by === thisWindow()),
      undo: () => inTurn(() => askToStep('undo')),
      redo: () => inTurn(() => askToStep('redo')),
      asking,
      answerAsked: async (go) => {
        setAsking(undefined);
        if (asking && go) await step(asking.way, asking.says);
      },
    };
  }, [id, state, known, audience, claims, jobs, notice, fail, askToStep, asking, step, inTurn, makeEdit]);

  if (error && !state) return failed(error);
  return value ? <Context.Provider value={value}>{children}</Context.Provider> : waiting;
}
