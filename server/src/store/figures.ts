import type { FileSizes, KeptProfile } from '@crease/contract';
import type { ProfileDocument } from '@crease/core/storage';
import type { Connection } from './database.ts';
import { CODES_OF_COLUMNS } from './bytes.ts';

/** Profiles that are kept of a model. */
const MOST_KEPT = 60;
/** Figures that nothing rests on any more are removed once there are so many times those in use. */
const SPARE = 4;

/** Figures of what a model holds, so that nothing is measured twice; and profiles of before. */
export class Figures {
  constructor(private readonly db: Connection) {}

  /** Figures by their basis. */
  all(modelId: number): Map<string, unknown> {
    const rows = this.db.prepare('select basis, document from figure where model_id = ?').all(modelId) as {
      basis: string;
      document: string;
    }[];
    return new Map(rows.map(({ basis, document }) => [basis, JSON.parse(document) as unknown]));
  }

  /** Keeps new figures. `used`, where it is known: all that are in use; others go once there are many. */
  keep(modelId: number, figures: ReadonlyMap<string, unknown>, used?: ReadonlySet<string>): void {
    const insert = this.db.prepare(
      'insert or replace into figure (model_id, basis, document) values (?, ?, ?)',
    );
    const remove = this.db.prepare('delete from figure where model_id = ? and basis = ?');
    this.db
      .transaction(() => {
        for (const [basis, figure] of figures) insert.run(modelId, basis, JSON.stringify(figure ?? null));
        const known = this.db
          .prepare('select basis from figure where model_id = ?')
          .pluck()
          .all(modelId) as string[];
        if (used && known.length > SPARE * used.size)
          for (const basis of known) if (!used.has(basis)) remove.run(modelId, basis);
      })
      .immediate();
  }

  /** Keeps a profile unless the last one says the same. */
  keepProfile(modelId: number, says: string, document: ProfileDocument): void {
    const { db } = this;
    const asText = (d: ProfileDocument) => JSON.stringify({ ...d, at: '', revision: 0 });
    db.transaction(() => {
      const last = db
        .prepare('select document from kept_profile where model_id = ? order by id desc limit 1')
        .pluck()
        .get(modelId) as string | undefined;
      if (last !== undefined && asText(JSON.parse(last) as ProfileDocument) === asText(document)) return;
      db.prepare(
        'insert into kept_profile (model_id, revision, says, at, document) values (?, ?, ?, ?, ?)',
      ).run(modelId, document.revision ?? 0, says, document.at, JSON.stringify(document));
      db.prepare(
        `delete from kept_profile where model_id = ? and id not in
           (select id from kept_profile where model_id = ? order by id desc limit ${MOST_KEPT})`,
      ).run(modelId, modelId);
    }).immediate();
  }

  /** Profiles of before, the newest first. */
  profiles(modelId: number): KeptProfile[] {
    const sql = `select id, revision, says, at, document ->> '$.totalBytes' as totalBytes,
        (select coalesce(sum(value ->> '$.rows'), 0) from json_each(document, '$.tables')) as rows
      from kept_profile where model_id = ? order by id desc`;
    return this.db.prepare(sql).all(modelId) as KeptProfile[];
  }

  profile(modelId: number, id: number): ProfileDocument | undefined {
    const document = this.db
      .prepare('select document from kept_profile where model_id = ? and id = ?')
      .pluck()
      .get(modelId, id) as string | undefined;
    return document === undefined ? undefined : (JSON.parse(document) as ProfileDocument);
  }

  /**
   * What the file holds. `weighed`: whether the model weighs a column, by the id of its stored table, its
   * name and its name where it came from, in lower case.
   */
  fileSizes(
    modelId: number,
    weighed: (tableId: number, column: string, sourceName: string) => boolean,
  ): FileSizes {
    const pages = (what: string) => this.db.pragma(what, { simple: true }) as number;
    const fileBytes = pages('page_count') * pages('page_size');
    const columns = this.db
      .prepare(
        `select c.table_id as tableId, c.name, coalesce(c.source_name, c.name) as sourceName, t.model_id as modelId,
           t.state = 'ready' and t.retired_at is null as isCurrent, length(c.domain) as dictionary,
           coalesce(length(c.counts), 0) as counts,
           coalesce(s.codes, 0) as codes
         from stored_column c join stored_table t on t.id = c.table_id
           left join (${CODES_OF_COLUMNS}) s on s.column_id = c.id`,
      )
      .all() as StoredSize[];
    const lines = this.db
      .prepare(
        `select model_id as modelId, coalesce(sum(length(lines)), 0) as bytes from stored_table
         where state = 'ready' and retired_at is null group by model_id`,
      )
      .all() as { modelId: number; bytes: number }[];
    const sizes = { codes: 0, dictionaries: 0, notInModel: 0, beside: 0, keptForUndo: 0, otherModels: 0 };
    for (const c of columns) {
      const all = c.codes + c.dictionary + c.counts;
      if (c.modelId !== modelId) sizes.otherModels += all;
      else if (!c.isCurrent) sizes.keptForUndo += all;
      else if (!weighed(c.tableId, c.name.toLowerCase(), c.sourceName.toLowerCase())) sizes.notInModel += all;
      else {
        sizes.codes += c.codes;
        sizes.dictionaries += c.dictionary;
        sizes.beside += c.counts;
      }
    }
    for (const { modelId: of, bytes } of lines)
      if (of === modelId) sizes.beside += bytes;
      else sizes.otherModels += bytes;
    const known = Object.values(sizes).reduce((a, b) => a + b, 0);
    return { fileBytes, ...sizes, rest: fileBytes - known };
  }
}

interface StoredSize {
  readonly tableId: number;
  readonly name: string;
  readonly sourceName: string;
  readonly modelId: number;
  readonly isCurrent: number;
  readonly dictionary: number;
  readonly counts: number;
  readonly codes: number;
}
