import { api } from '@crease/contract';
import type { JobState } from '@crease/contract';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import type { Arrival } from './arrival.ts';
import { afterLoad, afterTry, isReady, orderOf, toldOf } from './arrival.ts';

/** Stores what is ready, or tries it; `onLoaded` is told where something was stored. */
export function useImports(
  arrivals: readonly Arrival[],
  setArrivals: (next: (all: readonly Arrival[]) => readonly Arrival[]) => void,
  change: (key: string, next: (a: Arrival) => Arrival) => void,
  onLoaded: () => void,
) {
  const { id, fail, tell } = useModel();
  const ready = arrivals.filter(isReady);
  const importReady = async () => {
    try {
      const job = await ask(api.intake.load, { id }, { tables: ready.map(orderOf) });
      setArrivals((all) => all.map((a) => (ready.includes(a) ? { ...a, state: 'storing' } : a)));
      await ended(job.id, (done) => {
        setArrivals((all) => afterLoad(all, ready, done));
        tell(toldOf(done));
        if (done.state === 'done') onLoaded();
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
  return { ready, importReady, tryOut };
}

/** Follows a job to its end, also if its events were missed. */
async function ended(job: string, tell: (state: JobState) => void): Promise<void> {
  for (;;) {
    const state = await ask(api.jobs.get, { job });
    if (state.state !== 'running') return tell(state);
    await new Promise((resume) => setTimeout(resume, 250));
  }
}
