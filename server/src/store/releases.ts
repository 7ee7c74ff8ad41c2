import type { ReleaseEntry } from '@crease/contract';
import type { Connection } from './database.ts';

const MOST_LISTED = 200;

/** What was released to which target, and how that ended. */
export class Releases {
  constructor(private readonly db: Connection) {}

  note(modelId: number, entry: Omit<ReleaseEntry, 'id'>): void {
    this.db
      .prepare('insert into release_log (model_id, document) values (?, ?)')
      .run(modelId, JSON.stringify(entry));
  }

  /** The last first. */
  log(modelId: number): ReleaseEntry[] {
    const rows = this.db
      .prepare('select id, document from release_log where model_id = ? order by id desc limit ?')
      .all(modelId, MOST_LISTED) as { id: number; document: string }[];
    return rows.map(({ id, document }) => ({ ...(JSON.parse(document) as Omit<ReleaseEntry, 'id'>), id }));
  }
}
