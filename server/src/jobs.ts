import { randomUUID } from 'node:crypto';
import type { JobState, JobStep } from '@crease/contract';
import { explained } from './explained.ts';

/** How long an ended job can still be asked for. */
const KEPT_MS = 10 * 60_000;

/** Of what is done so much has to be known before it is guessed how long all takes. */
const LEAST_KNOWN = 0.05;
const LEAST_KNOWN_MS = 300;
/** The last steps are told: work of many tables has many. */
const MOST_STEPS = 60;

/** The steps of a job, by what it tells of its progress: another word is another step. */
class Steps {
  private readonly begun = performance.now();
  private readonly done: JobStep[] = [];
  private current: { readonly name: string; readonly begun: number } | undefined;

  constructor(private estimatedMs: number | undefined) {}

  /** What is known after it told of so much, from 0 to 1. */
  next(part: number, name: string): Partial<JobState> {
    if (this.current?.name !== name) {
      this.close('done');
      this.current = { name, begun: performance.now() };
    }
    const elapsed = performance.now() - this.begun;
    if (this.estimatedMs === undefined && part >= LEAST_KNOWN && elapsed >= LEAST_KNOWN_MS)
      this.estimatedMs = Math.round(elapsed / part);
    return this.told();
  }

  end(state: 'done' | 'ended'): Partial<JobState> {
    this.close(state);
    return this.told();
  }

  private close(state: 'done' | 'ended'): void {
    if (!this.current) return;
    const { name, begun } = this.current;
    this.done.push({ name, state, ms: Math.round(performance.now() - begun) });
    this.current = undefined;
  }

  private told(): Partial<JobState> {
    const running: JobStep[] = this.current
      ? [
          {
            name: this.current.name,
            state: 'running',
            ms: Math.round(performance.now() - this.current.begun),
          },
        ]
      : [];
    return {
      steps: [...this.done, ...running].filter(({ name }) => name !== '').slice(-MOST_STEPS),
      elapsedMs: Math.round(performance.now() - this.begun),
      ...(this.estimatedMs === undefined ? {} : { estimatedMs: this.estimatedMs }),
    };
  }
}

/** Long work that people watch and may cancel. */
export class Jobs {
  private readonly jobs = new Map<string, { state: JobState; cancel: () => void }>();

  constructor(private readonly onBug: (error: unknown) => void) {}

  /**
   * Starts a job. `run` tells its progress and ends with a detail; what it rejects with is told as any error
   * of the server. `expectedMs` is how long such work took before, where that is known: else it is guessed
   * from the progress.
   */
  start(
    says: string,
    tell: (state: JobState) => void,
    run: (
      progress: (part: number, detail: string) => void,
      onCancel: (stop: () => void) => void,
    ) => Promise<string | Pick<JobState, 'detail' | 'loads' | 'warnings' | 'broken'>>,
    expectedMs?: number,
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
    const steps = new Steps(expectedMs);
    void run((progress, detail) => change({ progress, detail, ...steps.next(progress, detail) }), onCancel)
      .then((end) =>
        change({
          state: 'done',
          progress: 1,
          ...steps.end('done'),
          ...(typeof end === 'string' ? { detail: end } : end),
        }),
      )
      .catch((error: unknown) => {
        const told = steps.end('ended');
        if (cancelled) return change({ state: 'cancelled', detail: 'what was stored before stays', ...told });
        const { code, message } = explained(error, '');
        if (code === 'internal') this.onBug(error);
        change({ state: 'failed', faults: message.split('\n'), ...told });
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
