import type { ModelVersion } from './store/index.ts';
import { WorkFault } from './threads/workFault.ts';

/** What it needs of the threads: a task that ends when something else is asked of them. */
export interface IdleThreads {
  /** Throws WorkFault `given-up` where it was ended so. */
  runIdle(kind: 'warmUp', input: ModelVersion): Promise<unknown>;
}

/** For so long nobody may have asked anything, ms. */
const QUIET_MS = 300;
/** A model that is always asked something is warm by itself. */
const MOST_TRIES = 20;

/**
 * Gets the rows of a model that was opened ready for questions, while nobody asks any. Whatever is asked
 * meanwhile goes first; then it begins anew, and what was decoded is found.
 */
export class WarmUp {
  private timer: NodeJS.Timeout | undefined;
  /** Models with the versions of their rows that are ready. */
  private readonly ready = new Map<number, string>();

  constructor(
    private readonly threads: IdleThreads,
    /** Undefined where the model is gone, or cannot be read. */
    private readonly versionOf: (modelId: number) => ModelVersion | undefined,
    private readonly onBug: (error: unknown) => void,
    private readonly quietMs = QUIET_MS,
  ) {}

  /** Somebody opened the model. */
  open(modelId: number, triesLeft = MOST_TRIES): void {
    clearTimeout(this.timer);
    if (triesLeft === 0) return;
    this.timer = setTimeout(() => {
      this.begin(modelId, triesLeft).catch(this.onBug);
    }, this.quietMs).unref();
  }

  close(): void {
    clearTimeout(this.timer);
  }

  private async begin(modelId: number, triesLeft: number): Promise<void> {
    const version = this.versionOf(modelId);
    if (!version) return;
    const rows = JSON.stringify(version.versions);
    if (this.ready.get(modelId) === rows) return;
    try {
      await this.threads.runIdle('warmUp', version);
      this.ready.set(modelId, rows);
    } catch (error) {
      if (!(error instanceof WorkFault) || error.fault !== 'given-up') throw error;
      this.open(modelId, triesLeft - 1);
    }
  }
}
