import type { KeptPlan } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';
import { ServerError } from '../errors.ts';
import { runPlan } from './runPlan.ts';
import { lastDue } from './times.ts';

/** How often it is looked whether a plan is due. */
const TICK_MS = 15_000;

/**
 * Runs load plans at their times while the workspace is served: never two at once, and once for all the times
 * that came while nobody was there.
 */
export class Scheduler {
  private timer: NodeJS.Timeout | undefined;
  private queue: Promise<void> = Promise.resolve();
  private isStopped = false;

  constructor(private readonly workspace: Workspace) {}

  start(): void {
    // A fault of one look is logged, and the next one comes: the server goes on.
    const look = () =>
      void this.look().catch((error: unknown) =>
        this.workspace.log.error({ error: String(error) }, 'load plans could not be looked at'),
      );
    this.timer = setInterval(look, TICK_MS);
    this.timer.unref();
    look();
  }

  /** Puts what is due into the queue; resolves when all of it has been run. */
  async look(): Promise<void> {
    const { plans, settings, clock, log } = this.workspace;
    const now = clock.now();
    for (const kept of plans.all()) {
      const { modelId, plan, considered } = kept;
      if (plan.isPaused || plan.at === undefined) continue;
      try {
        const due = lastDue(plan.at, settings.timeZone, considered, now);
        if (!due) continue;
        // Before it is run: a fault of it must not have it run again and again.
        plans.setConsidered(modelId, plan.name, now);
        this.queue = this.queue.then(() => this.run(kept, due));
      } catch (error) {
        if (!(error instanceof ServerError)) throw error;
        log.error({ error: error.message }, `the times of the load plan ${plan.name} cannot be read`);
      }
    }
    await this.queue;
  }

  /** A failed run is in the plan's log, which is where one looks for it. */
  private async run({ modelId, plan }: KeptPlan, due: Date): Promise<void> {
    if (this.isStopped) return;
    const { jobs, hub } = this.workspace;
    await new Promise<void>((end) => {
      const tell = (job: { state: string }) => {
        if (job.state !== 'running') end();
      };
      jobs.start(
        `load plan ${plan.name}`,
        (job) => {
          hub.send(modelId, { kind: 'job', job });
          tell(job);
        },
        (progress, onCancel) =>
          runPlan(this.workspace, { modelId, plan, by: 'time', due }, progress, onCancel).then(
            ({ detail, loads, warnings }) => ({ detail, loads, warnings }),
          ),
      );
    });
  }

  stop(): void {
    this.isStopped = true;
    clearInterval(this.timer);
  }
}
