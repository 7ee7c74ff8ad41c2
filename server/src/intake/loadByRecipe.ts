import type { LoadResult, RecipeState } from '@crease/contract';
import type { Workspace } from '../workspace.ts';
import { readHead } from '../sources/fileTable.ts';
import { detectDialect } from '@crease/core/reading';
import { checkNames } from './admit.ts';
import { takeInAll } from './takeInAll.ts';

export interface RecipeRun {
  readonly recipe: string;
  /** A file of this machine; a recipe of a database's table has none. */
  readonly file: string | undefined;
  /** Name of the model, where the workspace has several. */
  readonly model: string | undefined;
  readonly dryRun: boolean;
}

/** A recipe that cannot be run: which, and what to do. */
export class RecipeError extends Error {}

/** Runs a recipe to its end, unattended. Throws an error whose message is for the person. */
export async function loadByRecipe(
  workspace: Workspace,
  run: RecipeRun,
): Promise<{ detail: string; loads: LoadResult[] }> {
  const modelId = modelOf(workspace, run);
  const recipe = workspace.loads.recipe(modelId, run.recipe);
  if (!recipe) {
    const names = workspace.loads.recipes(modelId).map((r) => r.name);
    throw new RecipeError(
      `there is no recipe "${run.recipe}": ${names.length > 0 ? `there are ${names.join(', ')}` : 'none has been kept yet'}`,
    );
  }
  const upload = await arrivalOf(workspace, recipe, run.file);
  const { name, table, origin, ...rest } = recipe;
  const dialect =
    run.file === undefined
      ? rest.dialect
      : { ...rest.dialect, newline: newlineOf(run.file, rest.dialect.newline) };
  // A newer file may have its columns in another order: with a header they are found by their names.
  const columns = dialect.header || origin ? rest.columns.map(({ place: _place, ...c }) => c) : rest.columns;
  const order = { ...rest, dialect, columns, name: table, upload: upload.id, recipe: name };
  const coming = [{ order, file: upload.name, origin: workspace.arrivals.origin(upload.id) }];
  try {
    checkNames(coming, workspace.models.head(modelId).model);
    return await takeInAll(
      workspace,
      modelId,
      coming,
      run.dryRun,
      () => undefined,
      () => undefined,
    );
  } finally {
    await workspace.arrivals.drop(upload.id).catch(() => undefined); // it is gone where the load went well
  }
}

function modelOf(workspace: Workspace, { model }: RecipeRun): number {
  const all = workspace.models.ids().map((id) => ({ id, ...workspace.models.head(id).model }));
  const found = model === undefined ? all : all.filter((m) => m.name === model || m.title === model);
  if (found.length === 1) return found[0]!.id;
  const names = all.map((m) => m.name).join(', ');
  if (all.length === 0) throw new RecipeError('the workspace has no model');
  throw new RecipeError(
    found.length === 0
      ? `there is no model "${model}": there are ${names}`
      : `there are several models, say which: ${names}`,
  );
}

async function arrivalOf(workspace: Workspace, { name, origin }: RecipeState, file: string | undefined) {
  if (!origin) {
    if (file === undefined) throw new RecipeError(`the recipe ${name} reads a file: say which`);
    return workspace.arrivals.adopt(file);
  }
  if (file !== undefined)
    throw new RecipeError(`the recipe ${name} reads ${origin.table} of ${origin.connection}, and no file`);
  const { connection, ...table } = origin;
  return workspace.arrivals.sample(connection, workspace.databases.reader(connection), table);
}

/** Line ends are how a machine writes, not what somebody said: they may differ from file to file. */
function newlineOf(file: string, known: '\n' | '\r'): '\n' | '\r' {
  if (/\.parquet$/i.test(file)) return known;
  const { head, whole } = readHead(file);
  return head.length === 0 ? known : detectDialect(head, whole).newline;
}
