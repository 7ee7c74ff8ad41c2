import { mkdirSync, rmSync } from 'node:fs';
import { readModel } from '@crease/core/model';
import type { Model } from '@crease/core/model';
import { Databases } from './databases/databases.ts';
import { Secrets } from './databases/secrets.ts';
import { PassedTables } from './warehouse/passedTables.ts';
import { Uploads } from './intake/uploads.ts';
import { LoadsUnderWay } from './intake/loadsUnderWay.ts';
import { Hub } from './live/hub.ts';
import { SharedCalendars } from './sharedCalendars.ts';
import {
  ConflictError,
  Loads,
  Models,
  openWorkspace,
  Plans,
  Releases,
  Settings,
  Tables,
  Verdicts,
} from './store/index.ts';
import type { Connection, ModelVersion, Revision } from './store/index.ts';
import { defaultAfterFile } from './loads/afterPlan.ts';
import type { Clock } from './clock.ts';
import { SYSTEM_CLOCK } from './clock.ts';
import { JudgingQueue } from './judging/queue.ts';
import { Jobs } from './jobs.ts';
import type { ReaderLimits } from './readers/fileReaders.ts';
import { FileReaders } from './readers/fileReaders.ts';
import { WarmUp } from './warmUp.ts';
import type { Pool } from './tasks/pool.ts';
import { makePool } from './tasks/pool.ts';

export interface Log {
  error(details: object, message: string): void;
}

export interface WorkspaceOptions {
  readonly keyFile?: string | undefined;
  /** What is told of runs of load plans, and to whom (see `AfterPlan`). */
  readonly afterPlanFile?: string | undefined;
  readonly token?: string | undefined;
  readonly clock?: Clock | undefined;
  /** How much time and memory the readers of files have. */
  readonly readers?: ReaderLimits | undefined;
  /** Adds a demo, and gives its model's id. */
  readonly makeDemo?: ((workspace: Workspace) => Promise<number>) | undefined;
}

/** One open workspace file with all that works on it. */
export class Workspace {
  readonly db: Connection;
  readonly clock: Clock;
  readonly afterPlanFile: string;
  /** Of the lock: what a command of the workspace's owner says to the server. */
  readonly token: string | undefined;
  readonly models: Models;
  readonly tables: Tables;
  readonly settings: Settings;
  readonly loads: Loads;
  readonly plans: Plans;
  readonly releases: Releases;
  readonly hub = new Hub();
  readonly jobs = new Jobs((error) => this.onBug(error));
  readonly pool: Pool;
  /** Readers of files that may be damaged: processes of their own. */
  readonly readers: FileReaders;
  readonly claims: JudgingQueue;
  readonly warmUp: WarmUp;
  /** Folder of uploads that have not been taken in yet; emptied at the start. */
  readonly incoming: string;
  readonly uploads: Uploads;
  readonly databases: Databases;
  readonly passed: PassedTables;
  readonly calendars: SharedCalendars;
  readonly makeDemo: WorkspaceOptions['makeDemo'];
  /** Loads that are running. */
  readonly underWay = new LoadsUnderWay();
  private closing = false;

  /** `keyFile` holds the key under which passwords are kept. The caller has the workspace's lock. */
  constructor(
    readonly file: string,
    readonly log: Log,
    { keyFile, afterPlanFile, token, clock = SYSTEM_CLOCK, readers, makeDemo }: WorkspaceOptions = {},
  ) {
    this.db = openWorkspace(file);
    this.pool = makePool((error) => this.onBug(error));
    this.readers = new FileReaders((error) => this.onBug(error), readers);
    this.models = new Models(this.db, clock.now);
    this.tables = new Tables(this.db, undefined, clock.now);
    this.settings = new Settings(this.db);
    this.loads = new Loads(this.db);
    this.plans = new Plans(this.db);
    this.releases = new Releases(this.db);
    this.calendars = new SharedCalendars(this.models, this.tables);
    // Whoever opens a workspace has its lock: what is unfinished was left behind.
    this.tables.dropUnfinished();
    this.token = token;
    this.makeDemo = makeDemo;
    this.incoming = `${file}.incoming`;
    rmSync(this.incoming, { recursive: true, force: true });
    mkdirSync(this.incoming, { recursive: true, mode: 0o700 });
    this.uploads = new Uploads(this.incoming);
    this.databases = new Databases(this.db, new Secrets(keyFile), this.pool);
    this.passed = new PassedTables({ databases: this.databases, tables: this.tables });
    this.clock = clock;
    this.afterPlanFile = afterPlanFile ?? defaultAfterFile();
    const { models, tables, pool, hub } = this;
    const verdicts = new Verdicts(this.db);
    const { passed, onBug } = this;
    this.claims = new JudgingQueue({ file, models, tables, verdicts, pool, passed, hub, clock, onBug });
    const versionOf = (id: number) => (models.ids().includes(id) ? this.task(id) : undefined);
    this.warmUp = new WarmUp(pool, versionOf, onBug);
  }

  /** Hears of faults of this program; work that the end of the program cuts short is none. */
  private readonly onBug = (error: unknown): void => {
    if (this.closing) return;
    this.log.error(
      { error: error instanceof Error ? error.stack : String(error) },
      'work in the background failed',
    );
  };

  /** What a worker needs to know of the head of a model. */
  task(modelId: number): ModelVersion {
    const head = this.models.head(modelId);
    const grouped = this.passed.grouped(head.model);
    return {
      ...(grouped ? { grouped } : {}),
      workspace: this.file,
      modelId,
      revision: head.id,
      document: this.models.documentOf(head),
      versions: this.tables.versions(modelId),
      day: this.clock.today(),
    };
  }

  /**
   * What a worker needs to know of an earlier revision, on the rows of now or those that it stood on. Throws
   * NoModelError where the model has no such revision, RowsGoneError where its rows have been removed.
   */
  taskAt(modelId: number, revision: number, rows: 'now' | 'then'): ModelVersion {
    const found = this.models.ofModel(modelId, revision);
    const task = this.task(modelId);
    return {
      ...task,
      revision,
      document: this.models.documentOf(found),
      versions: rows === 'then' ? this.models.rowsThen(modelId, revision) : task.versions,
    };
  }

  /** Tells everybody of a new head and has its claims judged. */
  readonly changed = (modelId: number, revision: Revision, by: string): void => {
    this.hub.send(modelId, { kind: 'revision', revision: revision.id, says: revision.says, by });
    this.claims.refresh(modelId);
    for (const follower of this.calendars.syncFollowers(modelId))
      this.changed(follower.modelId, follower.revision, '');
  };

  /** Removes rows of before that the rule of the workspace does not keep; nobody waits for it. */
  pruneRows(modelId: number): void {
    void this.pool
      .load('prune', { workspace: this.file, modelId, keep: this.settings.keep })
      .catch(
        (error: unknown) =>
          !this.closing && this.log.error({ error: String(error) }, 'old rows could not be removed'),
      );
  }

  importModel(text: string): { id: number; model: Model } {
    const model = readModel(text);
    return { id: this.models.create(model, `read from a model file`), model };
  }

  async close(): Promise<void> {
    this.closing = true;
    this.hub.close();
    this.warmUp.close();
    await Promise.all([this.pool.close(), this.readers.close()]);
    this.db.close();
    rmSync(this.incoming, { recursive: true, force: true });
  }
}

export { ConflictError };
