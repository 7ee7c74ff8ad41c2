import type { Connection } from './database.ts';
import { BYTES_OF_TABLES } from './bytes.ts';

/** What going to another revision does to the rows of a source: how many there are now, and how many then. */
export interface RowsChange {
  readonly key: string;
  readonly now: number | null;
  readonly then: number | null;
}

/**
 * How long rows that are none of a model's any more are kept for undo: the last versions of a table, or those
 * of the last days, whichever is more, under a cap.
 */
export interface KeepRule {
  readonly versions: number;
  readonly days: number;
  readonly bytes: number;
}

export const DEFAULT_KEEP: KeepRule = { versions: 10, days: 30, bytes: 2_000_000_000 };

/** Rows that a revision stands on and that have been removed. */
export class RowsGoneError extends Error {}

const DAY_MS = 86_400_000;
const idsOf = (version: string | undefined): number[] =>
  version === undefined || version === '' ? [] : version.split('+').map(Number);

/**
 * Which stored parts are the rows of a model, by source key, and those of before that can be come back to.
 */
export class RowVersions {
  constructor(
    private readonly db: Connection,
    private readonly now: () => Date = () => new Date(),
  ) {}

  /** The rows that a model has now, by key, as the ids of their parts. */
  versions(modelId: number): Record<string, string> {
    const rows = this.db
      .prepare(
        `select id, source_key as key from stored_table where model_id = ? and state = 'ready' and retired_at is null order by id`,
      )
      .all(modelId) as { id: number; key: string }[];
    const found: Record<string, string> = {};
    for (const { id, key } of rows)
      found[key] = found[key] === undefined ? String(id) : `${found[key]}+${id}`;
    return found;
  }

  /** How many rows a version has; null for no rows at all. */
  count(version: string | undefined): number | null {
    const ids = idsOf(version);
    if (ids.length === 0) return null;
    const sql = `select coalesce(sum(rows), 0) from stored_table where id in (${ids.join(', ')})`;
    return this.db.prepare(sql).pluck().get() as number;
  }

  /**
   * Makes other versions the rows of a model. Throws RowsGoneError where a part of them has been removed.
   * Within a transaction of the caller.
   */
  restore(modelId: number, wanted: Readonly<Record<string, string>>): void {
    const current = this.versions(modelId);
    const keys = [...new Set([...Object.keys(current), ...Object.keys(wanted)])];
    for (const key of keys) if (current[key] !== wanted[key]) this.restoreKey(modelId, key, wanted[key]);
  }

  /**
   * What a target has after some parts of tables were brought to it: those parts of the rows of now, and of
   * all else what it had. A table whose rows are not held in parts is taken as it is now.
   */
  withParts(
    before: Readonly<Record<string, string>>,
    now: Readonly<Record<string, string>>,
    parts: readonly { readonly key: string; readonly part: string }[],
  ): Record<string, string> {
    const made: Record<string, string> = { ...before };
    for (const { key, part } of parts) {
      const [kept, brought] = [this.partsOf(made[key]), this.partsOf(now[key])];
      const isInParts = [...kept, ...brought].every((p) => p.part !== '');
      const all = [...kept.filter((p) => p.part !== part), ...brought.filter((p) => p.part === part)];
      made[key] = isInParts ? all.map(({ id }) => id).join('+') : (now[key] ?? '');
    }
    return made;
  }

  private partsOf(version: string | undefined): { id: number; part: string }[] {
    const ids = idsOf(version);
    return this.db
      .prepare(`select id, part from stored_table where id in (${ids.join(', ') || 'null'}) order by id`)
      .all() as { id: number; part: string }[];
  }

  restoreKey(modelId: number, key: string, version: string | undefined): void {
    const ids = this.mustHave(modelId, key, version);
    this.retire(modelId, key);
    if (ids.length > 0)
      this.db.prepare(`update stored_table set retired_at = null where id in (${ids.join(', ')})`).run();
  }

  /** The parts of a version. Throws RowsGoneError where one of them has been removed. */
  mustHave(modelId: number, key: string, version: string | undefined): number[] {
    const ids = idsOf(version);
    const known = this.db
      .prepare(
        `select count(*) from stored_table where model_id = ? and state = 'ready' and id in (${ids.join(', ') || 'null'})`,
      )
      .pluck()
      .get(modelId) as number;
    if (known < ids.length)
      throw new RowsGoneError(
        `the rows of ${key} that it stood on have been removed to make room: load them again`,
      );
    return ids;
  }

  /** Takes the rows of a key, or of one part of it, out of the model; they are kept for undo. */
  retire(modelId: number, key: string, part?: string): void {
    const only = part === undefined ? '' : ' and part = ?';
    this.db
      .prepare(
        `update stored_table set retired_at = ? where model_id = ? and source_key = ? and state = 'ready' and retired_at is null${only}`,
      )
      .run(this.now().toISOString(), modelId, key, ...(part === undefined ? [] : [part]));
  }

  /** Parts that releases stand on: they stay as long as their release does. */
  private released(modelId: number): ReadonlySet<number> {
    const all = this.db
      .prepare('select versions from released where model_id = ?')
      .pluck()
      .all(modelId) as string[];
    return new Set(
      all.flatMap((text) => Object.values(JSON.parse(text) as Record<string, string>)).flatMap(idsOf),
    );
  }

  /**
   * Parts that are none of a model's any more and that no release stands on, newest first, with their bytes.
   */
  private retired(modelId: number): { id: number; key: string; at: string; bytes: number }[] {
    const kept = this.released(modelId);
    const all = this.db
      .prepare(
        `select t.id, t.source_key as key, t.retired_at as at,
           coalesce(s.bytes, 0) as bytes
         from stored_table t left join (${BYTES_OF_TABLES}) s on s.table_id = t.id where t.model_id = ? and t.state = 'ready' and t.retired_at is not null order by t.retired_at desc, t.id desc`,
      )
      .all(modelId) as { id: number; key: string; at: string; bytes: number }[];
    return all.filter(({ id }) => !kept.has(id));
  }

  /** How many versions of before are kept, and what they take. */
  keptOf(modelId: number): { versions: number; bytes: number } {
    const all = this.retired(modelId);
    return {
      versions: new Set(all.map(({ key, at }) => `${key}\n${at}`)).size,
      bytes: all.reduce((sum, { bytes }) => sum + bytes, 0),
    };
  }

  /** Removes versions that the rule does not keep; gives how many parts went. */
  prune(modelId: number, rule: KeepRule): number {
    const oldest = new Date(this.now().getTime() - rule.days * DAY_MS).toISOString();
    const seen = new Map<string, Set<string>>();
    let bytes = 0;
    const gone = this.retired(modelId).filter(({ key, at, bytes: own }) => {
      const times = seen.get(key) ?? new Set<string>();
      seen.set(key, times.add(at));
      const kept = (times.size <= rule.versions || at >= oldest) && bytes + own <= rule.bytes;
      if (kept) bytes += own;
      return !kept;
    });
    return this.remove(gone.map(({ id }) => id));
  }

  /** Removes all versions of before. */
  removeRetired(modelId: number): number {
    return this.remove(this.retired(modelId).map(({ id }) => id));
  }

  private remove(ids: readonly number[]): number {
    // Large parts take their time to go: one transaction each, so that others write in between.
    for (const id of ids) this.db.prepare('delete from stored_table where id = ?').run(id);
    return ids.length;
  }
}
