import type { LoadResult, RecipeState } from '@crease/contract';
import type { Workspace } from '../workspace.ts';
import { ServerError } from '../errors.ts';
import { readHead } from '../sources/fileTable.ts';
import { detectDialect } from '@crease/core/reading';
import { DocumentError, sameName } from '@crease/core/model';
import { asModel, checkNames, keyFor } from './registerTables.ts';
import { loadTables } from './loadTables.ts';

export interface RecipeRun {
  readonly recipe: string;
  /** A file of this machine, or one that has been uploaded; a recipe of a database's table has neither. */
  readonly file?: string | undefined;
  readonly upload?: string | undefined;
  /** Name, title or number of the model, where the workspace has several. */
  readonly model?: string | undefined;
  readonly dryRun: boolean;
  /** Of a table that is kept in parts those to load, in place of those of the recipe. */
  readonly parts?: readonly string[] | undefined;
}

type Outcome = { detail: string; loads: LoadResult[]; warnings: string[] };
type Progress = (part: number, detail: string) => void;
type OnCancel = (stop: () => void) => void;

/** A recipe that cannot be run: which, and what to do. */
export class RecipeError extends ServerError {
  constructor(message: string) {
    super('cannot-answer', message);
  }
}

/** Runs a recipe to its end, unattended. Throws an error whose message is for the person. */
export async function loadByRecipe(
  workspace: Workspace,
  run: RecipeRun,
  progress: Progress = () => undefined,
  onCancel: OnCancel = () => undefined,
): Promise<Outcome> {
  const modelId = modelOf(workspace, run.model);
  const recipe = recipeOf(workspace, modelId, run.recipe);
  const upload = await uploadOf(workspace, recipe, run);
  const { name, table, origin, ...rest } = recipe;
  const file = origin ? undefined : workspace.uploads.file(upload.id);
  const dialect =
    file === undefined ? rest.dialect : { ...rest.dialect, newline: newlineOf(file, rest.dialect.newline) };
  // A newer file may have its columns in another order: with a header they are found by their names.
  const columns = dialect.header || origin ? rest.columns.map(({ place: _place, ...c }) => c) : rest.columns;
  const parts = run.parts ? { parts: [...run.parts] } : {};
  const order = { ...rest, ...parts, dialect, columns, name: table, upload: upload.id, recipe: name };
  const { model } = workspace.models.head(modelId);
  const coming = [
    {
      order: asModel(order, model),
      file: upload.name,
      origin: workspace.uploads.origin(upload.id),
      ...(run.parts ? { usualParts: { parts: recipe.parts } } : {}),
    },
  ];
  let end: () => void = () => undefined;
  try {
    checkNames(coming, model);
    const named = coming.map((c) => ({ key: keyFor(model, c), name: c.order.name }));
    if (!run.dryRun) end = workspace.underWay.begin(modelId, named);
    const what = { modelId, coming, dryRun: run.dryRun, by: 'load' };
    const warnings = origin ? await tooMuch(workspace, origin) : [];
    return { ...(await loadTables(workspace, what, progress, onCancel)), warnings };
  } finally {
    end();
    await workspace.uploads.drop(upload.id).catch(() => undefined); // it is gone where the load went well
  }
}

/** What the account of an unattended load could do beyond it. */
async function tooMuch(workspace: Workspace, origin: NonNullable<RecipeState['origin']>): Promise<string[]> {
  const { account, excess } = await workspace.databases.reader(origin.connection).rights([origin]);
  return excess.length === 0 ? [] : [`${account} could do more than read: ${excess.join('; ')}`];
}

function recipeOf(workspace: Workspace, modelId: number, wanted: string): RecipeState {
  const recipe = workspace.loads.recipe(modelId, wanted);
  if (recipe) return recipe;
  const plans = workspace.plans.of(modelId).map(({ plan }) => `${plan.name} (a load plan)`);
  const names = [...workspace.loads.recipes(modelId).map((r) => r.name), ...plans];
  throw new RecipeError(
    `there is no recipe "${wanted}": ${names.length > 0 ? `there are ${names.join(', ')}` : 'there are none yet'}`,
  );
}

/** The model that is meant: by its number where several have one name. */
export function modelOf(workspace: Workspace, wanted: string | undefined): number {
  const all = workspace.models.ids().flatMap((id) => {
    try {
      const { name, title } = workspace.models.head(id).model;
      return [{ id, name, title }];
    } catch (error) {
      if (error instanceof DocumentError) return [];
      throw error;
    }
  });
  const isIt = (m: (typeof all)[number]) =>
    String(m.id) === wanted || sameName(m.name, wanted!) || sameName(m.title ?? m.name, wanted!);
  const found = wanted === undefined ? all : all.filter(isIt);
  if (found.length === 1) return found[0]!.id;
  if (all.length === 0) throw new RecipeError('the workspace has no model');
  const list = (models: typeof all) => models.map((m) => `${m.name} (${m.id})`).join(', ');
  throw new RecipeError(
    found.length === 0
      ? `there is no model "${wanted}": there are ${list(all)}`
      : `there are several models: choose one with --model and its name or number: ${list(found)}`,
  );
}

async function uploadOf(workspace: Workspace, { name, origin }: RecipeState, run: RecipeRun) {
  const { file, upload } = run;
  const given = file !== undefined || upload !== undefined;
  if (!origin) {
    if (!given) throw new RecipeError(`the recipe ${name} reads a file: name it`);
    return upload === undefined ? workspace.uploads.adopt(file!) : workspace.uploads.state(upload);
  }
  if (given)
    throw new RecipeError(`the recipe ${name} reads ${origin.table} of ${origin.connection}, and no file`);
  const { connection, ...table } = origin;
  return workspace.uploads.sample(connection, workspace.databases.reader(connection), table);
}

/** Line ends are how a machine writes, not what somebody said: they may differ from file to file. */
function newlineOf(file: string, known: '\n' | '\r'): '\n' | '\r' {
  if (/\.parquet$/i.test(file)) return known;
  const { head, whole } = readHead(file);
  return head.length === 0 ? known : detectDialect(head, whole).newline;
}
