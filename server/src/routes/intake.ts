import type { JobState } from '@crease/contract';
import { api } from '@crease/contract';
import type { Model } from '@crease/core/model';
import { sameName, writeModel } from '@crease/core/model';
import { ServerError } from '../errors.ts';
import { withPassedTables } from '../intake/declared.ts';
import type { PendingTable } from '../intake/registerTables.ts';
import { asModel, checkNames, keyFor } from '../intake/registerTables.ts';
import { checkTimeZone } from '../loads/times.ts';
import { modelOf } from '../intake/loadByRecipe.ts';
import { loadByName } from '../loads/loadByName.ts';
import { revertLoad } from '../intake/revertLoad.ts';
import { previewUpload } from '../intake/previewUpload.ts';
import { loadTables } from '../intake/loadTables.ts';
import type { Workspace } from '../workspace.ts';
import type { Serve } from './serve.ts';

/** A model that was made of an earlier state of another: refused where that has changed since. */
function withTables(now: Model, before: Model, made: Model): Model {
  if (writeModel(now) !== writeModel(before))
    throw new ServerError('conflict', 'the model has changed while the database was asked: try again');
  return made;
}

const ENDED = 'that work has ended a while ago';

/** Files on their way in: upload as a stream, preview, then intake as a job. */
export function intakeRoutes(workspace: Workspace, serve: Serve): void {
  const { uploads, jobs, settings } = workspace;

  serve(api.intake.upload, ({ search, request }) => uploads.receive(search.name, request));

  serve(api.intake.preview, async ({ params: { upload }, body }) => ({
    upload: uploads.state(upload),
    preview: await previewUpload(workspace, upload, body),
  }));

  serve(api.intake.drop, ({ params }) => uploads.drop(params.upload));

  serve(api.intake.design, ({ body }) => workspace.pool.run('sqlDesign', body));

  serve(api.intake.load, ({ params: { id: modelId }, body: { tables, dryRun }, by }) => {
    const { model } = workspace.models.head(modelId);
    const coming = tables.map((order): PendingTable => ({
      order: asModel(order, model),
      file: uploads.state(order.upload).name,
      origin: uploads.origin(order.upload),
    }));
    checkNames(coming, model);
    const what = tables.length === 1 ? tables[0]!.name : `${tables.length} tables`;
    const named = coming.map((table) => ({ key: keyFor(model, table), name: table.order.name }));
    const end = dryRun ? () => undefined : workspace.underWay.begin(modelId, named);
    const order = { modelId, coming, dryRun, by };
    return jobs.start(dryRun ? `try ${what}` : `load ${what}`, tell(modelId), (progress, onCancel) =>
      loadTables(workspace, order, progress, onCancel).finally(end),
    );
  });

  serve(api.intake.passThrough, async ({ params: { id: modelId }, body: { connection, tables }, by }) => {
    const { databases, models } = workspace;
    const before = models.head(modelId).model;
    // Throws where its tables cannot be asked there.
    if (!databases.groupedPlace(connection)) databases.place(connection);
    const passed = await withPassedTables(before, connection, databases.reader(connection), tables);
    const fresh = passed.tables.filter((t) => !before.tables.some((own) => sameName(own.name, t.name)));
    const names = fresh.map((t) => t.name);
    if (names.length === 0) return { tables: names };
    // Somebody may have changed the model while the database was asked.
    const says = `passed through ${names.length === 1 ? names[0]! : `${names.length} tables`} of ${connection}`;
    const revision = models.change(modelId, (model) => withTables(model, before, passed), says, { by });
    workspace.changed(modelId, revision, by);
    return { tables: names };
  });

  const tell = (modelId: number) => (job: JobState) => workspace.hub.send(modelId, { kind: 'job', job });

  serve(api.settings.get, () => ({
    naming: settings.naming,
    keep: settings.keep,
    timeZone: settings.timeZone,
  }));

  serve(api.settings.put, ({ body: { naming, keep, timeZone } }) => {
    if (timeZone !== undefined) checkTimeZone(timeZone);
    settings.naming = naming;
    if (keep) settings.keep = keep;
    if (timeZone !== undefined) settings.timeZone = timeZone;
  });

  serve(api.jobs.get, ({ params }) => {
    const job = jobs.get(params.job);
    if (!job) throw new ServerError('not-found', ENDED);
    return job;
  });

  serve(api.jobs.cancel, ({ params }) => {
    if (!jobs.cancel(params.job)) throw new ServerError('not-found', ENDED);
  });
}

/** Loads that ran, and recipes by which tables are loaded again. */
export function loadRoutes(workspace: Workspace, serve: Serve): void {
  const { loads, tables, settings, jobs } = workspace;

  serve(api.loads.runRecipe, ({ body: run, request }) => {
    if (request.get('x-crease-token') !== workspace.token)
      throw new ServerError('wrong-origin', 'only a command of the owner of the workspace may ask for that');
    const modelId = modelOf(workspace, run.model);
    return jobs.start(
      `load by ${run.recipe}`,
      (job) => workspace.hub.send(modelId, { kind: 'job', job }),
      (progress, onCancel) => loadByName(workspace, { ...run, model: String(modelId) }, progress, onCancel),
    );
  });

  serve(api.loads.revert, ({ params, by }) => revertLoad(workspace, params.id, params.load, by));

  serve(api.loads.leftOut, ({ params: { id, load }, response }) => {
    const text = loads.leftOut(id, load);
    if (text === undefined)
      throw new ServerError('not-found', 'there is no such load, or it took all of its records');
    response.type('text/csv').attachment(`load-${load}.left-out.csv`);
    return text;
  });
  serve(api.loads.removeOldRows, ({ params }) => ({ removed: tables.rows.removeRetired(params.id) }));

  serve(api.loads.get, ({ params: { id } }) => ({
    recipes: loads.recipes(id),
    log: loads.log(id),
    kept: tables.rows.keptOf(id),
    keep: settings.keep,
  }));

  serve(api.loads.removeRecipe, ({ params }) => {
    if (!loads.remove(params.id, params.recipe))
      throw new ServerError('not-found', `there is no recipe ${params.recipe} any more`);
  });
}
