import { basename } from 'node:path';
import type { LoadPlan, LoadResult, PlanRun, StepRun } from '@crease/contract';
import { ServerError } from '../errors.ts';
import { loadByRecipe } from '../intake/loadByRecipe.ts';
import { StoppedLoad } from '../intake/registerTables.ts';
import type { Workspace } from '../workspace.ts';
import { tellAfterPlan } from './afterPlan.ts';
import { brokenClaims, claimsChanged } from '../judging/brokenClaims.ts';
import { newestFile } from './planFile.ts';

export interface PlanOrder {
  readonly modelId: number;
  readonly plan: LoadPlan;
  readonly by: PlanRun['by'];
  readonly due?: Date | undefined;
  /** Parts to load in place of those that the plan's steps say. */
  readonly parts?: readonly string[] | undefined;
}

export interface PlanOutcome {
  readonly detail: string;
  readonly loads: LoadResult[];
  readonly warnings: string[];
  readonly run: Omit<PlanRun, 'id'>;
}

type Progress = (part: number, detail: string) => void;
type OnCancel = (stop: () => void) => void;

/** How it is waited before another try; tests wait for nothing. */
export type Wait = (ms: number) => Promise<void>;
const SLEEP: Wait = (ms) => new Promise((resume) => setTimeout(resume, ms));

/**
 * Runs the steps of a plan one after the other; the first that fails for good ends it, and what was loaded
 * before it stays. The run is kept with its outcome either way. Throws where a step failed, or it was
 * cancelled.
 */
export async function runPlan(
  workspace: Workspace,
  order: PlanOrder,
  progress: Progress = () => undefined,
  onCancel: OnCancel = () => undefined,
  wait: Wait = SLEEP,
): Promise<PlanOutcome> {
  const { modelId, plan, by, due } = order;
  const { clock } = workspace;
  const startedAt = clock.now().toISOString();
  const before = await brokenClaims(workspace, modelId);
  const cancel = new AbortController();
  onCancel(() => cancel.abort());
  const steps: StepRun[] = [];
  const loads: LoadResult[] = [];
  const warnings: string[] = [];
  let failure: Error | undefined;
  for (const [i, step] of plan.steps.entries()) {
    if (failure) {
      steps.push({ recipe: step.recipe, outcome: 'not run', elapsedMs: 0, attempts: 0 });
      continue;
    }
    const tell = (part: number) => progress((i + part) / plan.steps.length, step.recipe);
    const done = await runStep(workspace, order, step, { cancel, tell, onCancel, wait });
    steps.push(done.run);
    loads.push(...done.loads);
    warnings.push(...done.warnings);
    failure = done.failure;
  }
  const after = await brokenClaims(workspace, modelId);
  const run: Omit<PlanRun, 'id'> = {
    plan: plan.name,
    by,
    ...(due ? { due: due.toISOString() } : {}),
    startedAt,
    endedAt: clock.now().toISOString(),
    outcome: failure ? (cancel.signal.aborted ? 'cancelled' : 'failed') : 'done',
    steps,
    ...claimsChanged(before, after),
  };
  workspace.plans.note(modelId, run);
  const { name } = workspace.models.head(modelId).model;
  for (const fault of await tellAfterPlan(workspace.afterPlanFile, name, run)) {
    workspace.log.error({ fault }, `the run of ${plan.name} could not be told`);
    warnings.push(`the run could not be told: ${fault}`);
  }
  if (failure) throw failure;
  return { detail: detailOf(run), loads, warnings, run };
}

function detailOf({ plan, steps, broken }: Omit<PlanRun, 'id'>): string {
  const done = steps.filter((s) => s.outcome === 'done').length;
  const idle = steps.length - done;
  const claims = broken.length > 0 ? `; newly broken: ${broken.join(', ')}` : '';
  return `${plan}: ${done} loaded${idle > 0 ? `, ${idle} with nothing new` : ''}${claims}`;
}

interface Ways {
  readonly cancel: AbortController;
  readonly tell: (part: number) => void;
  readonly onCancel: OnCancel;
  readonly wait: Wait;
}

interface StepDone {
  readonly run: StepRun;
  readonly loads: LoadResult[];
  readonly warnings: string[];
  readonly failure?: Error;
}

async function runStep(
  workspace: Workspace,
  order: PlanOrder,
  step: LoadPlan['steps'][number],
  ways: Ways,
): Promise<StepDone> {
  const { modelId, plan, by } = order;
  const { plans } = workspace;
  const begun = performance.now();
  const elapsed = () => Math.round(performance.now() - begun);
  let failure: Error | undefined;
  let tried = 0;
  for (let attempts = 1; attempts <= 1 + plan.retries; attempts++) {
    if (attempts > 1) await ways.wait(plan.pauseSeconds * 1000);
    if (ways.cancel.signal.aborted) {
      failure = new ServerError('cannot-answer', 'cancelled');
      break;
    }
    tried = attempts;
    try {
      const file = step.file === undefined ? undefined : newestFile(workspace.file, step.file);
      const seen = plans.fileSeen(modelId, plan.name, step.recipe);
      // At times only what is new is loaded; whoever asks by hand means it.
      if (by === 'time' && file && JSON.stringify(seen) === JSON.stringify(file)) {
        const source = basename(file.path);
        const run = {
          recipe: step.recipe,
          source,
          outcome: 'nothing new' as const,
          elapsedMs: elapsed(),
          attempts,
        };
        return { run, loads: [], warnings: [] };
      }
      const parts = order.parts ?? step.parts;
      const { loads, warnings } = await loadByRecipe(
        workspace,
        {
          recipe: step.recipe,
          model: String(modelId),
          dryRun: false,
          ...(file ? { file: file.path } : {}),
          ...(parts ? { parts } : {}),
        },
        ways.tell,
        ways.onCancel,
      );
      if (file) plans.setFileSeen(modelId, plan.name, step.recipe, file);
      return {
        run: doneStep(step.recipe, file && basename(file.path), loads, elapsed(), attempts),
        loads,
        warnings,
      };
    } catch (error) {
      failure = error as Error;
      // The same rows would be stopped again.
      const isLast = attempts === 1 + plan.retries || error instanceof StoppedLoad;
      if (ways.cancel.signal.aborted || isLast) break;
    }
  }
  const run: StepRun = {
    recipe: step.recipe,
    outcome: 'failed',
    message: failure!.message,
    elapsedMs: elapsed(),
    attempts: tried,
  };
  return { run, loads: [], warnings: [], failure: failure! };
}

function doneStep(
  recipe: string,
  source: string | undefined,
  loads: readonly LoadResult[],
  elapsedMs: number,
  attempts: number,
): StepRun {
  const sum = (of: (load: LoadResult) => number) => loads.reduce((n, load) => n + of(load), 0);
  return {
    recipe,
    ...(source === undefined ? {} : { source }),
    outcome: 'done',
    rows: sum((l) => l.counts.added + l.counts.changed + l.counts.unchanged),
    changed: sum((l) => l.counts.added + l.counts.changed),
    leftOut: sum((l) => l.leftOut + l.counts.refused),
    elapsedMs,
    attempts,
  };
}
