import { createWriteStream, existsSync, renameSync, rmSync, statSync } from 'node:fs';
import { randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';
import { Router } from 'express';
import { intakeRequest, previewRequest, settingsSchema } from '@crease/contract';
import type { IntakeRequest, PreviewRequest, UploadState } from '@crease/contract';
import type { Model, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { Corrections, FilePreview, Reading, ReadSpec } from '@crease/core/reading';
import { parseType, TEXT } from '@crease/core/values';
import { ServerError } from '../errors.ts';
import { takeIn } from '../intake/takeIn.ts';
import { isGzip, isParquet } from '../sources/fileTable.ts';
import type { Replaces } from '../store/index.ts';
import { sourceKey } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';
import { answer, asked, body, idOf, param } from './handle.ts';

type FileSource = Extract<NonNullable<Table['source']>, { file: string }>;
type Readings = Pick<NonNullable<PreviewRequest['columns']>[number], 'type' | 'pattern' | 'decimalComma' | 'thousands'>;

const UPLOAD_ID = /^[0-9a-f-]{36}$/;
const TABLE_FILE = /\.((csv|tsv|txt)(\.gz)?|parquet)$/i;

/** Files on their way in: upload as a stream, preview, then intake as a job. */
export function intakeRoutes(workspace: Workspace): Router {
  const router = Router();
  const uploads = new Map<string, UploadState>();

  const pathOf = (id: string, name: string) => join(workspace.incoming, isParquet(name) ? `${id}.parquet` : id);
  const fileOf = (id: string): string => {
    const path = pathOf(id, uploads.get(id)?.name ?? '');
    if (!UPLOAD_ID.test(id) || !uploads.has(id) || !existsSync(path))
      throw new ServerError('not-found', 'the file is no longer here: choose it again');
    return path;
  };

  // The body is the file itself, written to disk as it comes, whatever its size.
  router.post(
    '/uploads',
    answer(async (request): Promise<UploadState> => {
      const name = asked(request, 'name')
        .replace(/^.*[\\/]/, '')
        .slice(0, 200);
      if (!TABLE_FILE.test(name))
        throw new ServerError(
          'cannot-read',
          `${name || 'the file'} is no file of a table: files that end in .csv, .tsv or .txt, in one of these and .gz, or in .parquet can be brought in`,
        );
      const id = randomUUID();
      const path = pathOf(id, name);
      try {
        // What a gzip file holds is kept, so that it can be read in pieces.
        if (isGzip(name)) await pipeline(request, createGunzip(), createWriteStream(`${path}.part`));
        else await pipeline(request, createWriteStream(`${path}.part`));
      } catch (error) {
        rmSync(`${path}.part`, { force: true });
        throw new ServerError('cannot-read', `${name} did not arrive whole: ${(error as Error).message}`);
      }
      renameSync(`${path}.part`, path);
      const upload = { id, name, bytes: statSync(path).size };
      uploads.set(id, upload);
      return upload;
    }),
  );

  router.post(
    '/uploads/:upload/preview',
    answer(async (request) => {
      const id = param(request, 'upload');
      const { dialect, nulls, columns } = body(request, previewRequest);
      const corrected: Corrections = {
        naming: workspace.settings.naming,
        ...(dialect ? { dialect } : {}),
        ...(nulls ? { nulls } : {}),
        ...(columns ? { columns: new Map(columns.map((c) => [c.place, readingOf(c)])) } : {}),
      };
      const preview = await workspace.pool.run<FilePreview>({ kind: 'preview', file: fileOf(id), corrected });
      return { upload: uploads.get(id)!, preview };
    }),
  );

  router.delete(
    '/uploads/:upload',
    answer(async (request) => {
      const id = param(request, 'upload');
      await rm(fileOf(id), { force: true });
      uploads.delete(id);
    }),
  );

  router.get(
    '/settings',
    answer(() => ({ naming: workspace.settings.naming })),
  );

  router.put(
    '/settings',
    answer((request) => {
      workspace.settings.naming = body(request, settingsSchema).naming;
    }),
  );

  router.post(
    '/models/:id/intake',
    answer((request) => {
      const modelId = idOf(request);
      const { tables } = body(request, intakeRequest);
      checkNames(tables, workspace.models.head(modelId).model);
      const files = tables.map((t) => ({ table: t, path: fileOf(t.upload), file: uploads.get(t.upload)!.name }));
      const says = tables.length === 1 ? `take in ${tables[0]!.name}` : `take in ${tables.length} tables`;
      return workspace.jobs.start(
        says,
        (job) => workspace.hub.send(modelId, { kind: 'job', job }),
        async (progress, onCancel) => {
          let cancelled = false;
          onCancel(() => (cancelled = true));
          const taken: { table: IntakeRequest['tables'][number]; file: string; rows: number }[] = [];
          let leftOut = 0;
          for (const [i, { table, path, file }] of files.entries()) {
            if (cancelled) throw new Error('cancelled');
            const key = keyFor(workspace, modelId, table.name, file);
            const replaces: Replaces = table.part === undefined ? 'all' : { part: table.part };
            const stopsAt = table.misfits === 'stop';
            const target = { workspace: workspace.file, scratch: workspace.incoming, modelId, key, replaces, stopsAt };
            const running = takeIn(workspace.pool, workspace.tables, path, specOf(table), target, (part) =>
              progress((i + part) / files.length, table.name),
            );
            onCancel(() => running.stop());
            try {
              const { rows, problems } = await running.done;
              leftOut += problems;
              taken.push({ table, file, rows });
            } catch (error) {
              workspace.tables.dropLoading(modelId, key);
              // Tables before this one are whole and stay; the model is told of them below.
              if (taken.length > 0) admit(workspace, modelId, taken);
              throw cancelled ? error : new Error(`${table.name}: ${(error as Error).message}`);
            }
            await rm(path, { force: true });
            uploads.delete(table.upload);
          }
          admit(workspace, modelId, taken);
          const rows = taken.reduce((sum, t) => sum + t.rows, 0);
          return `${rows} ${rows === 1 ? 'row' : 'rows'} stored${leftOut > 0 ? `, ${leftOut} listed as left out` : ''}`;
        },
      );
    }),
  );

  router.get(
    '/jobs/:job',
    answer((request) => {
      const job = workspace.jobs.get(param(request, 'job'));
      if (!job) throw new ServerError('not-found', 'that work has ended a while ago');
      return job;
    }),
  );

  router.delete(
    '/jobs/:job',
    answer((request) => {
      if (!workspace.jobs.cancel(param(request, 'job'))) throw new ServerError('not-found', 'that work has ended a while ago');
    }),
  );

  return router;
}

const readingOf = ({ type, pattern, decimalComma, thousands }: Readings): Reading => ({
  type: parseType(type) ?? TEXT,
  ...(pattern ? { pattern } : {}),
  ...(decimalComma === undefined ? {} : { decimalComma }),
  ...(thousands === undefined ? {} : { thousands }),
});

const specOf = ({ name, dialect, fields, nulls, columns }: IntakeRequest['tables'][number]): ReadSpec => ({
  table: name,
  dialect,
  ...(fields === undefined ? {} : { fields }),
  nulls,
  columns: columns.map((c) => ({
    name: c.name,
    fileName: c.fileName,
    ...(c.place === undefined ? {} : { place: c.place }),
    ...readingOf(c),
  })),
});

function checkNames(tables: IntakeRequest['tables'], model: Model): void {
  for (const [i, table] of tables.entries()) {
    const existing = model.tables.find((t) => sameName(t.name, table.name));
    if (existing?.source && !('file' in existing.source))
      throw new ServerError('wrong-shape', `the rows of ${existing.name} come from no file: give the table of this file another name`);
    if (tables.some((other, j) => j < i && sameName(other.name, table.name)))
      throw new ServerError('wrong-shape', `two of the tables are called ${table.name}: give one of them another name`);
    const names = table.columns.map((c) => c.name.toLowerCase());
    const twice = names.find((name, j) => names.indexOf(name) !== j);
    if (twice !== undefined) throw new ServerError('wrong-shape', `${table.name} has two columns ${twice}`);
  }
}

/** A table that is loaded again keeps its key; a new one is known by its file. */
function keyFor(workspace: Workspace, modelId: number, name: string, file: string): string {
  const existing = workspace.models.head(modelId).model.tables.find((t) => sameName(t.name, name));
  return existing ? sourceKey(existing) : sourceKey({ name, source: { file: freeFile(workspace.models.head(modelId).model, name, file) } });
}

const freeFile = (model: Model, name: string, file: string): string =>
  model.tables.some((t) => t.source && 'file' in t.source && sameName(t.source.file, file))
    ? `${name}${/(\.[a-z]+(\.gz)?)$/i.exec(file)?.[1] ?? ''}`
    : file;

/** Tells the model of tables whose rows have been stored. */
function admit(workspace: Workspace, modelId: number, taken: readonly { table: IntakeRequest['tables'][number]; file: string }[]): void {
  const names = taken.map((t) => t.table.name).join(', ');
  const revision = workspace.models.change(
    modelId,
    (model) => taken.reduce((m, { table, file }) => admitted(m, table, file), model),
    `took in ${names}`,
  );
  workspace.changed(modelId, revision, '');
}

function admitted(model: Model, table: IntakeRequest['tables'][number], file: string): Model {
  const columns = table.columns.map((c) => ({
    name: c.name,
    type: c.type,
    ...(c.pattern ? { pattern: c.pattern } : {}),
    ...(c.name === c.fileName || !table.dialect.header ? {} : { sourceName: c.fileName }),
    use: 'attribute' as const,
  }));
  const at = model.tables.findIndex((t) => sameName(t.name, table.name));
  if (at >= 0) {
    // Loaded again: what people said of its columns stays, types follow the file.
    const before = model.tables[at]!;
    const merged = columns.map((c) => ({
      ...(before.columns.find((b) => sameName(b.name, c.name)) ?? c),
      type: c.type,
      ...(c.pattern ? { pattern: c.pattern } : {}),
      ...(c.sourceName !== undefined ? { sourceName: c.sourceName } : {}),
    }));
    const derived = before.columns.filter((c) => c.formula !== undefined && !merged.some((m) => sameName(m.name, c.name)));
    // What was corrected now holds for the next load, too.
    const known = before.source && 'file' in before.source ? before.source.file : freeFile(model, table.name, file);
    const again = { ...before, source: { file: known, ...layoutOf(table) }, columns: [...merged, ...derived] };
    return { ...model, tables: model.tables.map((t, i) => (i === at ? again : t)) };
  }
  const source = { file: freeFile(model, table.name, file), ...layoutOf(table) };
  const made: Table = { name: table.name, role: 'staging', source, columns };
  return { ...model, tables: [...model.tables, made] };
}

/** How a file is laid out, as far as it is not what is taken for granted. */
function layoutOf({ dialect, nulls, columns }: IntakeRequest['tables'][number]): Omit<FileSource, 'file'> {
  const { delimiter, quote, header, skip, encoding } = dialect;
  const thousands = columns.find((c) => c.thousands !== undefined)?.thousands;
  return {
    ...(delimiter === ',' ? {} : { delimiter }),
    ...(quote === '"' ? {} : { quote }),
    ...(header ? {} : { header }),
    ...(skip ? { skip } : {}),
    ...(nulls.length === 1 && nulls[0] === '' ? {} : { nulls }),
    ...(encoding === 'utf-8' ? {} : { encoding }),
    ...(columns.some((c) => c.decimalComma) ? { decimalComma: true } : {}),
    ...(thousands === undefined ? {} : { thousands }),
  };
}
