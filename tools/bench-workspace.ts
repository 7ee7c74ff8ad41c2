import { mkdirSync, readFileSync, statSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Model, Query } from '@crease/core/model';
import { fileOf, readModel } from '@crease/core/model';
import { readSpecOf } from '@crease/core/sources';
import { loadTable } from '../server/src/intake/loadTable.ts';
import { FileReaders } from '../server/src/readers/fileReaders.ts';
import { readHead } from '../server/src/sources/fileTable.ts';
import type { ModelVersion } from '../server/src/store/index.ts';
import { openWorkspace, sourceKey, Tables } from '../server/src/store/index.ts';
import type { Tasks } from '../server/src/tasks/list.ts';
import { WorkPool } from '../server/src/threads/pool.ts';

/** The demo in a workspace of its own, loaded and asked by the threads of a server. */
export interface Bench {
  readonly model: Model;
  readonly pool: WorkPool<Tasks>;
  /** Loads a table's file, or loads it again. */
  load(table: string): Promise<void>;
  /** Rows of an answer. */
  ask(query: Query): Promise<readonly (readonly unknown[])[]>;
  /** The model on what is loaded now. */
  version(): ModelVersion;
  tables(): Tables;
  /** Bytes of the workspace on disk. */
  bytes(): number;
  close(): Promise<void>;
}

/** Opens a workspace in `scratch` for the demo in `folder`. The programs have to be built. */
export function openBench(folder: string, scratch: string): Bench {
  const document = readFileSync(join(folder, 'lantern-valley.crease.json'), 'utf8');
  const model = readModel(document);
  const workspace = join(scratch, 'w.sqlite');
  const db = openWorkspace(workspace);
  db.prepare('insert into model (head, created_at) values (0, ?)').run(new Date().toISOString());
  const tables = new Tables(db);
  // As it is built: from source it has no second thread.
  const pool = new WorkPool<Tasks>(pathToFileURL(resolve('cli/dist/worker.cjs')));
  const readers = new FileReaders((error) => console.error(error));
  const room = join(scratch, 'scratch');
  mkdirSync(room, { recursive: true });
  const version = (): ModelVersion => ({
    ...{ workspace, modelId: 1, revision: 1, document },
    ...{ versions: tables.versions(1), day: '2026-06-30' },
  });
  return {
    model,
    pool,
    version,
    tables: () => tables,
    load: async (name) => {
      const table = model.tables.find((t) => t.name === name)!;
      const source = fileOf(table)!;
      const file = join(folder, source.file);
      const { head, whole } = readHead(file);
      const target = { workspace, scratch: room, modelId: 1, key: sourceKey(table) };
      const spec = readSpecOf(table, source, head, whole);
      const loading = loadTable({ pool, readers }, tables, file, spec, target, () => undefined);
      const { pending } = await loading.done;
      if (pending) tables.finishAll(1, target.key, pending);
    },
    ask: async (query) => (await pool.run('query', { query, texts: 'code points', ...version() })).rows,
    bytes: () => {
      db.pragma('wal_checkpoint(truncate)');
      return statSync(workspace).size;
    },
    close: async () => {
      await Promise.all([pool.close(), readers.close()]);
      db.close();
    },
  };
}
