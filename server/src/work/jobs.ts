import { randomUUID } from 'node:crypto';
import type { JobState } from '@crease/contract';

/** How long an ended job can still be asked for. */
const KEPT_MS = 10 * 60_000;

/** Long work that people watch and may cancel. */
export class Jobs {
  private readonly jobs = new Map<string, { state: JobState; cancel: () => void }>();

  /** Starts a job. `run` tells its progress and ends with a detail; it rejects with an Error whose message is for the person. */
  start(
    says: string,
    tell: (state: JobState) => void,
    run: (
      progress: (part: number, detail: string) => void,
      onCancel: (stop: () => void) => void,
    ) => Promise<string | Pick<JobState, 'detail' | 'loads'>>,
  ): JobState {
    const id = randomUUID();
    const entry = {
      state: { id, says, state: 'running', progress: 0, detail: '', faults: [] } as JobState,
      cancel: () => {},
    };
    this.jobs.set(id, entry);
    let cancelled = false;
    const stops: (() => void)[] = [];
    const change = (next: Partial<JobState>) => {
      entry.state = { ...entry.state, ...next };
      tell(entry.state);
    };
    entry.cancel = () => {
      cancelled = true;
      stops.forEach((stop) => stop());
    };
    const onCancel = (stop: () => void) => {
      stops.push(stop);
      if (cancelled) stop();
    };
    void run((progress, detail) => change({ progress, detail }), onCancel)
      .then((end) =>
        change({ state: 'done', progress: 1, ...(typeof end === 'string' ? { detail: end } : end) }),
      )
      .catch((error: Error) =>
        change(
          cancelled
            ? { state: 'cancelled', detail: 'nothing was stored' }
            : { state: 'failed', faults: error.message.split('\n') },
        ),
      )
      .finally(() => setTimeout(() => this.jobs.delete(id), KEPT_MS).unref());
    return entry.state;
  }

  get(id: string): JobState | undefined {
    return this.jobs.get(id)?.state;
  }

  cancel(id: string): boolean {
    const entry = this.jobs.get(id);
    entry?.cancel();
    return entry !== undefined;
  }
}
