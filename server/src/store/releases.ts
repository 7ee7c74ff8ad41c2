import type { ReleaseEntry } from '@crease/contract';
import type { Connection } from './database.ts';

const MOST_LISTED = 200;

/** What a release stands on: all that is asked of it is asked of this. */
export interface StandsOn {
  /** The id of the revision. */
  readonly revision: number;
  /** Rows by source key, as ids of their parts. */
  readonly versions: Readonly<Record<string, string>>;
  /** The day from which its periods count, in ISO 8601. */
  readonly day: string;
}

/** A release that went well, with what it stands on. */
export interface Released extends StandsOn {
  readonly modelId: number;
  readonly entry: ReleaseEntry;
}

interface Row {
  id: number;
  model_id: number;
  document: string;
  revision: number;
  versions: string;
  day: string;
}

const SELECT = `select l.id, l.model_id, l.document, r.revision, r.versions, r.day
  from released r join release_log l on l.id = r.log_id`;

/** What was released to which target, and how that ended; and what readers may see of it. */
export class Releases {
  constructor(private readonly db: Connection) {}

  /** Writes down how a release ended; `standsOn` of one that went well. */
  note(
    modelId: number,
    entry: Omit<ReleaseEntry, 'id' | 'kept'>,
    standsOn?: StandsOn & { readonly forReaders: boolean },
  ): void {
    this.db
      .transaction(() => {
        const { lastInsertRowid: id } = this.db
          .prepare('insert into release_log (model_id, document) values (?, ?)')
          .run(modelId, JSON.stringify(entry));
        if (!standsOn) return;
        const { revision, versions, day, forReaders } = standsOn;
        this.db
          .prepare(
            'insert into released (log_id, model_id, revision, versions, day, for_readers) values (?, ?, ?, ?, ?, ?)',
          )
          .run(id, modelId, revision, JSON.stringify(versions), day, forReaders ? 1 : 0);
      })
      .immediate();
  }

  /** The last first; `kept` says of which the rows are kept, and whether readers see them. */
  log(modelId: number): ReleaseEntry[] {
    const rows = this.db
      .prepare(
        `select l.id, l.document, r.for_readers as readers from release_log l left join released r on r.log_id = l.id
         where l.model_id = ? order by l.id desc limit ?`,
      )
      .all(modelId, MOST_LISTED) as { id: number; document: string; readers: number | null }[];
    return rows.map(({ id, document, readers }) => ({
      ...(JSON.parse(document) as Omit<ReleaseEntry, 'id'>),
      id,
      ...(readers === null ? {} : { kept: readers === 1 ? ('for readers' as const) : ('rows' as const) }),
    }));
  }

  /** Models of which readers see a release. */
  models(): number[] {
    return this.db
      .prepare('select distinct model_id from released where for_readers = 1 order by model_id')
      .pluck()
      .all() as number[];
  }

  /** The release that readers see: the last that is meant for them, or one that was seen before. */
  forReaders(modelId: number, id?: number): Released | undefined {
    const which = id === undefined ? '' : 'and r.log_id = ?';
    const row = this.db
      .prepare(`${SELECT} where r.model_id = ? and r.for_readers = 1 ${which} order by r.log_id desc limit 1`)
      .get(modelId, ...(id === undefined ? [] : [id])) as Row | undefined;
    return row && releasedOf(row);
  }

  /** The last release to a target that is still kept. */
  lastTo(modelId: number, target: string): Released | undefined {
    const rows = this.db
      .prepare(`${SELECT} where r.model_id = ? order by r.log_id desc`)
      .all(modelId) as Row[];
    return rows.map(releasedOf).find(({ entry }) => entry.target.toLowerCase() === target.toLowerCase());
  }

  /** Keeps the rows of a release no more: readers see the one before. Gives whether there was one. */
  giveUp(modelId: number, id: number): boolean {
    return (
      this.db.prepare('delete from released where model_id = ? and log_id = ?').run(modelId, id).changes > 0
    );
  }
}

function releasedOf({ id, model_id: modelId, document, revision, versions, day }: Row): Released {
  return {
    modelId,
    entry: { ...(JSON.parse(document) as Omit<ReleaseEntry, 'id'>), id },
    revision,
    versions: JSON.parse(versions) as Record<string, string>,
    day,
  };
}
