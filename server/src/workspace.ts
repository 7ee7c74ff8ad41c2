import { mkdirSync, rmSync } from 'node:fs';
import { readModel, writeModel } from '@crease/core/model';
import type { Model } from '@crease/core/model';
import { Databases } from './databases/databases.ts';
import { Secrets } from './databases/secrets.ts';
import { Arrivals } from './intake/arrivals.ts';
import { Hub } from './live/hub.ts';
import { SharedCalendars } from './sharedCalendars.ts';
import { ConflictError, Loads, Models, openWorkspace, Settings, Tables, Verdicts } from './store/index.ts';
import type { Connection, Revision } from './store/index.ts';
import { ClaimsDesk } from './work/claimsDesk.ts';
import { Jobs } from './work/jobs.ts';
import { WorkPool } from './work/pool.ts';

export interface Log {
  error(details: object, message: string): void;
}

/** One open workspace file with all that works on it. */
export class Workspace {
  readonly db: Connection;
  readonly models: Models;
  readonly tables: Tables;
  readonly settings: Settings;
  readonly loads: Loads;
  readonly hub = new Hub();
  readonly jobs = new Jobs();
  readonly pool = new WorkPool();
  readonly claims: ClaimsDesk;
  /** Folder of uploads that have not been taken in yet; emptied at the start. */
  readonly incoming: string;
  readonly arrivals: Arrivals;
  readonly databases: Databases;
  readonly calendars: SharedCalendars;
  private closing = false;

  /**
   * `keyFile` holds the key under which passwords are kept. A `guest` works on a workspace that a server may have open: it leaves what the
   * other is loading alone.
   */
  constructor(
    readonly file: string,
    readonly log: Log,
    { keyFile, guest = false }: { keyFile?: string; guest?: boolean } = {},
  ) {
    this.db = openWorkspace(file);
    this.models = new Models(this.db);
    this.tables = new Tables(this.db);
    this.settings = new Settings(this.db);
    this.loads = new Loads(this.db);
    this.calendars = new SharedCalendars(this.models, this.tables);
    if (!guest) this.tables.dropUnfinished();
    this.incoming = guest ? `${file}.incoming-${process.pid}` : `${file}.incoming`;
    rmSync(this.incoming, { recursive: true, force: true });
    mkdirSync(this.incoming, { recursive: true, mode: 0o700 });
    this.arrivals = new Arrivals(this.incoming);
    this.databases = new Databases(this.db, new Secrets(keyFile), this.pool);
    // Work that the end of the program cuts short is no fault.
    const onBug = (error: unknown) =>
      !this.closing &&
      log.error(
        { error: error instanceof Error ? error.stack : String(error) },
        'claims could not be judged',
      );
    this.claims = new ClaimsDesk(
      file,
      this.models,
      this.tables,
      new Verdicts(this.db),
      this.pool,
      this.hub,
      onBug,
    );
  }

  /** What a worker needs to know of the head of a model. */
  task(modelId: number): {
    workspace: string;
    modelId: number;
    revision: number;
    document: string;
    versions: Record<string, string>;
  } {
    const head = this.models.head(modelId);
    return {
      workspace: this.file,
      modelId,
      revision: head.id,
      document: writeModel(head.model),
      versions: this.tables.versions(modelId),
    };
  }

  /** Tells everybody of a new head and has its claims judged. */
  changed(modelId: number, revision: Revision, by: string): void {
    this.hub.send(modelId, { kind: 'revision', revision: revision.id, says: revision.says, by });
    this.claims.refresh(modelId);
    for (const follower of this.calendars.bringInStep(modelId))
      this.changed(follower.modelId, follower.revision, '');
  }

  importModel(text: string): { id: number; model: Model } {
    const model = readModel(text);
    return { id: this.models.create(model, `read from a model file`), model };
  }

  async close(): Promise<void> {
    this.closing = true;
    this.hub.close();
    await this.pool.close();
    this.db.close();
    rmSync(this.incoming, { recursive: true, force: true });
  }
}

export { ConflictError };
