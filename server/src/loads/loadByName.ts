import type { JobState } from '@crease/contract';
import type { RecipeRun } from '../intake/loadByRecipe.ts';
import { loadByRecipe, modelOf, RecipeError } from '../intake/loadByRecipe.ts';
import type { Workspace } from '../workspace.ts';
import { brokenClaims, claimsChanged } from '../judging/brokenClaims.ts';
import { runPlan } from './runPlan.ts';

/** What a recipe or a load plan did; `broken` are claims that were not broken before. */
export type NamedOutcome = Required<Pick<JobState, 'detail' | 'loads' | 'warnings' | 'broken'>>;

/**
 * Runs the recipe of that name, or else the load plan, unattended. Recipes and plans share their names: a
 * recipe goes first. Throws an error whose message is for the person.
 */
export async function loadByName(
  workspace: Workspace,
  run: RecipeRun,
  progress: (part: number, detail: string) => void = () => undefined,
  onCancel: (stop: () => void) => void = () => undefined,
): Promise<NamedOutcome> {
  const modelId = modelOf(workspace, run.model);
  const plan = workspace.plans.find(modelId, run.recipe);
  if (!plan || workspace.loads.recipe(modelId, run.recipe)) {
    const order = { ...run, model: String(modelId) };
    if (run.dryRun) return { ...(await loadByRecipe(workspace, order, progress, onCancel)), broken: [] };
    const before = await brokenClaims(workspace, modelId);
    const done = await loadByRecipe(workspace, order, progress, onCancel);
    const after = await brokenClaims(workspace, modelId);
    return { ...done, broken: claimsChanged(before, after).broken };
  }
  if (run.file !== undefined || run.upload !== undefined)
    throw new RecipeError(`${plan.name} is a load plan, which says its files itself: name none`);
  if (run.dryRun) throw new RecipeError(`${plan.name} is a load plan: try its recipes one by one`);
  const order = { modelId, plan, by: 'command' as const, parts: run.parts };
  const { detail, loads, warnings, run: made } = await runPlan(workspace, order, progress, onCancel);
  return { detail, loads, warnings, broken: made.broken };
}
