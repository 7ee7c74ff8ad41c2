import { useCallback, useEffect, useState } from 'react';
import { api } from '@crease/contract';
import type { RecipeState, UploadState } from '@crease/contract';
import { connectionOf, fileOf } from '@crease/core/model';
import type { Table } from '@crease/core/model';
import { ask, sendFile } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import type { Arrival } from './arrival.ts';
import { useImports } from './useImports.ts';
import { usePreviews } from './usePreviews.ts';
import { arrivalsOf, goingInto, laidOutAsBefore, newArrival, usualMode, tableName } from './arrival.ts';

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
  const { id, model, state, fail } = useModel();
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

  const existing = (name: string) => model.tables.find((t) => t.name.toLowerCase() === name.toLowerCase());
  const look = usePreviews(change, existing);
  const { ready, importReady, tryOut } = useImports(arrivals, setArrivals, change, () => void refreshLoads());

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
    for (const arrival of arrivalsOf(uploads, model.tables, arrivals, by)) {
      const upload = arrival.upload!;
      setArrivals((all) => [...all, arrival]);
      try {
        await look(arrival, upload, by);
      } catch (error) {
        change(arrival.key, (a) => ({ ...a, state: 'wrong', fault: (error as Error).message }));
      }
    }
  };
  useEffect(() => {
    if (drawn.length === 0) return;
    onDrawn([]);
    void receive(drawn, recipe);
    // Asked once for each list that is drawn.
    // oxlint-disable-next-line react/exhaustive-deps
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
    const next = goingInto(arrival, table, model.tables);
    change(arrival.key, () => next);
    if (next.upload) void look(next, next.upload).catch(fail);
  };

  const partsOf = (table: string | undefined) =>
    (state.stored.find((s) => s.name === table)?.parts ?? [])
      .map(({ name }) => name)
      .filter((name) => name !== '');

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
