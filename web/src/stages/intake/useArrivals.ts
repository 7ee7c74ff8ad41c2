import { useCallback, useEffect, useRef, useState } from 'react';
import { api } from '@crease/contract';
import type { JobState, RecipeState, UploadState } from '@crease/contract';
import { freeName, connectionOf, fileOf, isTableOf } from '@crease/core/model';
import type { Table } from '@crease/core/model';
import { ask, sendFile } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import type { Arrival } from './arrival.ts';
import {
  afterLoad,
  afterTry,
  arrivingColumns,
  byRecipe,
  correctionsOf,
  isReadOtherwise,
  isReady,
  laidOutAsBefore,
  newArrival,
  usualMode,
  orderOf,
  saidOf,
  tableName,
  toldOf,
  typedAsBefore,
} from './arrival.ts';

/**
 * What is on its way in: sent or drawn, looked at, corrected, tried, and stored. `drawn` are tables of
 * databases that have come, to be loaded by `recipe` where there is one; `onDrawn` is told once they are
 * taken.
 */
export function useArrivals(
  drawn: readonly UploadState[],
  recipe: RecipeState | undefined,
  onDrawn: (uploads: readonly UploadState[]) => void,
) {
  const { id, model, state, fail, tell } = useModel();
  const [arrivals, setArrivals] = useState<readonly Arrival[]>([]);
  const change = useCallback(
    (key: string, next: (a: Arrival) => Arrival) =>
      setArrivals((all) => all.map((a) => (a.key === key ? next(a) : a))),
    [],
  );
  const drop = useCallback((arrival: Arrival) => {
    arrival.cancel.abort();
    // It may be gone already.
    if (arrival.upload) void ask(api.intake.drop, { upload: arrival.upload.id }).catch(() => undefined);
    setArrivals((all) => all.filter((a) => a.key !== arrival.key));
  }, []);

  const { data: loads, mutate: refreshLoads } = useAnswer(api.loads.get, { id }, { revalidateOnFocus: true });

  /** Previews are asked for as fast as one types: only the last answer counts. */
  const asked = useRef(new Map<string, number>());
  const look = async (arrival: Arrival, upload: UploadState, by?: RecipeState): Promise<void> => {
    const { key } = arrival;
    const turn = (asked.current.get(key) ?? 0) + 1;
    asked.current.set(key, turn);
    const { preview } = await ask(api.intake.preview, { upload: upload.id }, correctionsOf(arrival));
    if (asked.current.get(key) !== turn) return;
    const had = existing(arrival.name);
    if (by)
      return look(
        byRecipe({ ...arrival, columns: arrivingColumns(preview, [], had), state: 'ready' }, by),
        upload,
      );
    // A table that is loaded again is read as the model says, however its new file happens to look, or is
    // laid out.
    if (had) {
      const typed = typedAsBefore(had, preview, arrival.columns);
      if (isReadOtherwise(typed, arrival.columns))
        return look({ ...arrival, state: 'ready', columns: typed }, upload);
    }
    change(key, (a) => ({
      ...a,
      upload,
      preview,
      state: 'ready',
      ...saidOf(arrival),
      columns: arrivingColumns(preview, arrival.columns, existing(a.name)),
    }));
  };
  const existing = (name: string) => model.tables.find((t) => t.name.toLowerCase() === name.toLowerCase());

  const bring = async (files: readonly File[]) => {
    const begun = files.map((file) => {
      const name = tableName(file.name);
      return { ...newArrival(file, name), mode: usualMode(existing(name)) };
    });
    setArrivals((all) => [...all, ...begun]);
    for (const arrival of begun) {
      try {
        const upload = await sendFile(
          files[begun.indexOf(arrival)]!,
          (progress) => change(arrival.key, (a) => ({ ...a, progress })),
          arrival.cancel.signal,
        );
        await look({ ...arrival, ...laidOutAsBefore(existing(arrival.name)) }, upload);
      } catch (error) {
        if (error instanceof DOMException) continue;
        change(arrival.key, (a) => ({ ...a, state: 'wrong', fault: (error as Error).message }));
      }
    }
  };

  /** Tables of databases have come already; those that the model has keep their names there. */
  const receive = async (uploads: readonly UploadState[], by?: RecipeState) => {
    const named = new Set([...model.tables, ...arrivals].map((t) => t.name.toLowerCase()));
    for (const upload of uploads) {
      const { origin } = upload;
      const held = origin && model.tables.find((t) => isTableOf(t, origin.connection, origin));
      // Of two schemas' tables of one name the second says its schema.
      const twice = named.has(upload.name.toLowerCase()) && origin?.schema;
      const name = held?.name ?? (twice ? `${origin.schema!}_${upload.name}` : upload.name);
      named.add(name.toLowerCase());
      const file = {
        name: `${origin?.connection}: ${origin?.schema ? `${origin.schema}.` : ''}${origin?.table}`,
        size: upload.bytes,
      };
      const come = { ...newArrival(file, name), mode: usualMode(held), progress: 1 };
      const arrival = by ? byRecipe(come, by) : come;
      setArrivals((all) => [...all, arrival]);
      try {
        await look(arrival, upload, by);
      } catch (error) {
        change(arrival.key, (a) => ({ ...a, upload, state: 'wrong', fault: (error as Error).message }));
      }
    }
  };
  useEffect(() => {
    if (drawn.length === 0) return;
    onDrawn([]);
    void receive(drawn, recipe);
    // Asked once for each list that is drawn.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [drawn]);
  const drawAgain = async (table: Table) => {
    const source = connectionOf(table);
    if (!source) return;
    const { connection, schema, table: name } = source;
    try {
      const uploads = await ask(
        api.databases.sample,
        { connection },
        { tables: [{ table: name, ...(schema === undefined ? {} : { schema }) }] },
      );
      await receive(uploads);
    } catch (error) {
      fail(error);
    }
  };

  /** Tables that a file may be loaded into: those that have their rows from files, or none yet. */
  const loadable = model.tables
    .filter((t) => t.source === undefined || fileOf(t) !== undefined)
    .map((t) => t.name);
  /** Chooses where the rows go: into a table that is there, read as the model says, or into a new one. */
  const into = (arrival: Arrival, table: string | undefined) => {
    const name = table ?? freeName(tableName(arrival.file.name), model.tables);
    const next = {
      ...arrival,
      name,
      mode: usualMode(model.tables.find((t) => t.name === table)),
      part: undefined,
      tried: undefined,
      columns: arrival.columns.map((c) => (c.known ? { ...c, said: false, known: false } : c)),
      ...laidOutAsBefore(existing(name)),
    };
    change(arrival.key, () => next);
    if (next.upload) void look(next, next.upload).catch(fail);
  };

  const partsOf = (table: string | undefined) =>
    (state.stored.find((s) => s.name === table)?.parts ?? [])
      .map(({ name }) => name)
      .filter((name) => name !== '');
  const ready = arrivals.filter(isReady);
  const importReady = async () => {
    try {
      const job = await ask(api.intake.load, { id }, { tables: ready.map(orderOf) });
      setArrivals((all) => all.map((a) => (ready.includes(a) ? { ...a, state: 'storing' } : a)));
      await ended(job.id, (done) => {
        setArrivals((all) => afterLoad(all, ready, done));
        tell(toldOf(done));
        if (done.state === 'done') void refreshLoads();
      });
    } catch (error) {
      fail(error);
    }
  };

  /** Says what would happen, and stores nothing. */
  const tryOut = async (arrival: Arrival) => {
    try {
      change(arrival.key, (a) => ({ ...a, state: 'storing', tried: undefined, fault: undefined }));
      const job = await ask(api.intake.load, { id }, { tables: [orderOf(arrival)], dryRun: true });
      await ended(job.id, (done) => change(arrival.key, (a) => afterTry(a, done)));
    } catch (error) {
      change(arrival.key, (a) => ({ ...a, state: 'ready' }));
      fail(error);
    }
  };

  return {
    arrivals,
    ready,
    loadable,
    recipes: loads?.recipes ?? [],
    existing,
    partsOf,
    bring,
    change,
    drop,
    drawAgain,
    into,
    look: (arrival: Arrival) => void look(arrival, arrival.upload!).catch(fail),
    importReady: () => void importReady(),
    tryOut: (arrival: Arrival) => void tryOut(arrival),
  };
}

/** Follows a job to its end, also if its events were missed. */
async function ended(job: string, tell: (state: JobState) => void): Promise<void> {
  for (;;) {
    const state = await ask(api.jobs.get, { job });
    if (state.state !== 'running') return tell(state);
    await new Promise((resume) => setTimeout(resume, 250));
  }
}
