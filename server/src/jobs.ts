import { randomUUID } from 'node:crypto';
import type { JobState } from '@crease/contract';
import { explained } from './explained.ts';

/** How long an ended job can still be asked for. */
const KEPT_MS = 10 * 60_000;

/** Long work that people watch and may cancel. */
export class Jobs {
  private readonly jobs = new Map<string, { state: JobState; cancel: () => void }>();

  constructor(private readonly onBug: (error: unknown) => void) {}

  /**
   * Starts a job. `run` tells its progress and ends with a detail; what it rejects with is told as any error
   * of the server.
   */
  start(
    says: string,
    tell: (state: JobState) => void,
    run: (
      progress: (part: number, detail: string) => void,
      onCancel: (stop: () => void) => void,
    ) => Promise<string | Pick<JobState, 'detail' | 'loads' | 'warnings' | 'broken'>>,
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
      .catch((error: unknown) => {
        if (cancelled) return change({ state: 'cancelled', detail: 'what was stored before stays' });
        const { code, message } = explained(error, '');
        if (code === 'internal') this.onBug(error);
        change({ state: 'failed', faults: message.split('\n') });
      })
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
