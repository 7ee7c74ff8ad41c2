import { api } from '@crease/contract';
import { ServerError } from '../errors.ts';
import { checkPattern } from '../loads/planFile.ts';
import { runPlan } from '../loads/runPlan.ts';
import { cronOf, nextTimes } from '../loads/times.ts';
import type { Workspace } from '../workspace.ts';
import type { Serve } from './serve.ts';

/** Load plans: kept, listed with their next times, and run. */
export function planRoutes(workspace: Workspace, serve: Serve): void {
  const { plans, loads, settings, clock, jobs, hub } = workspace;

  serve(api.plans.get, ({ params: { id } }) => ({
    plans: plans.of(id).map(({ plan }) => ({
      plan,
      next: plan.isPaused || plan.at === undefined ? [] : nextTimes(plan.at, settings.timeZone, clock.now()),
    })),
    runs: plans.runs(id),
    timeZone: settings.timeZone,
  }));

  serve(api.plans.put, ({ params: { id, plan: name }, body: plan }) => {
    workspace.models.head(id);
    if (plan.at !== undefined) cronOf(plan.at, settings.timeZone);
    for (const { recipe, file } of plan.steps) {
      const kept = loads.recipe(id, recipe);
      if (!kept)
        throw new ServerError('cannot-answer', `there is no recipe ${recipe}: keep one with a load first`);
      if (file !== undefined) checkPattern(file);
      if (!kept.origin && file === undefined)
        throw new ServerError('cannot-answer', `the recipe ${recipe} reads a file: say which`);
      if (kept.origin && file !== undefined)
        throw new ServerError(
          'cannot-answer',
          `the recipe ${recipe} reads ${kept.origin.table}, and no file`,
        );
    }
    if (name !== plan.name) {
      if (plans.find(id, plan.name))
        throw new ServerError('cannot-answer', `there is a load plan ${plan.name} already`);
      plans.remove(id, name);
    }
    plans.keep(id, plan, clock.now());
  });

  serve(api.plans.remove, ({ params: { id, plan } }) => {
    if (!plans.remove(id, plan)) throw new ServerError('not-found', `there is no load plan ${plan} any more`);
  });

  serve(api.plans.run, ({ params: { id: modelId, plan: name } }) => {
    const plan = plans.find(modelId, name);
    if (!plan) throw new ServerError('not-found', `there is no load plan ${name} any more`);
    return jobs.start(
      `load plan ${name}`,
      (job) => hub.send(modelId, { kind: 'job', job }),
      async (progress, onCancel) => {
        const order = { modelId, plan, by: 'hand' as const };
        const { detail, loads: done, warnings } = await runPlan(workspace, order, progress, onCancel);
        return { detail, loads: done, warnings };
      },
    );
  });
}
