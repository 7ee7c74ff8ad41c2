import type { Edit } from '@crease/core/edit';
import { applyEdit } from '@crease/core/edit';
import type { Model } from '@crease/core/model';
import { readModel, writeModel } from '@crease/core/model';
import { LRUCache } from 'lru-cache';
import type { Connection } from './database.ts';
import { Documents } from './documents.ts';
import type { RowsChange } from './rowVersions.ts';
import { RowVersions } from './rowVersions.ts';

export interface Revision {
  readonly id: number;
  readonly number: number;
  readonly says: string;
  readonly at: string;
  readonly model: Model;
  readonly parent: number | null;
  /** The window that made it, or who else (`load`, `server`); empty where it is not known. */
  readonly by: string;
  /** As who made it calls themselves, and what it is called; empty where nobody said. */
  readonly author: string;
  readonly name: string;
}

interface RevisionRow {
  author: string;
  name: string;
  rows: string | null;
  made_by: string;
  id: number;
  parent_id: number | null;
  number: number;
  says: string;
  at: string;
}

/** An edit made on a revision that is no longer the head. */
export class ConflictError extends Error {
  constructor(readonly head: Revision) {
    super(
      `the model has changed since: it is at revision ${head.number} now (${head.says}). Look at it and apply the edit again`,
    );
  }
}

export class NoModelError extends Error {}

/**
 * Models and their chains of revisions. The head moves back on undo and forward on redo, and the rows with
 * it; an edit starts a new branch of the chain.
 */
export class Models {
  private readonly parsed = new LRUCache<number, Model>({ max: 50 });
  /** Documents of models that are parsed. */
  private readonly laidOut = new WeakMap<Model, string>();
  private readonly documents: Documents;
  private readonly rows: RowVersions;
  /** What those who work in a window call themselves, by the window. */
  private readonly authors = new LRUCache<string, string>({ max: 500 });

  constructor(
    private readonly db: Connection,
    private readonly now: () => Date = () => new Date(),
  ) {
    this.rows = new RowVersions(db, now);
    this.documents = new Documents(db);
  }

  /** Says who works in a window: it is written down with the revisions made there, and not authenticated. */
  setAuthor(by: string, author: string): void {
    this.authors.set(by, author);
  }

  /** Gives a revision a name, or takes it away with an empty one. Throws NoModelError. */
  nameRevision(id: number, revision: number, name: string): void {
    this.ofModel(id, revision);
    this.db.prepare('update revision set name = ? where id = ?').run(name, revision);
  }

  ids(): number[] {
    return (
      this.db.prepare('select id from model where head in (select id from revision) order by id').all() as {
        id: number;
      }[]
    ).map((row) => row.id);
  }

  create(model: Model, says: string, by = ''): number {
    return this.db
      .transaction(() => {
        const id = Number(
          this.db.prepare('insert into model (head, created_at) values (0, ?)').run(this.now().toISOString())
            .lastInsertRowid,
        );
        const revision = this.insert(id, null, 1, model, says, by);
        this.db.prepare('update model set head = ? where id = ?').run(revision, id);
        return id;
      })
      .immediate();
  }

  remove(id: number): void {
    this.db
      .transaction(() => {
        this.db.prepare('update revision set parent_id = null where model_id = ?').run(id);
        this.db.prepare('delete from model where id = ?').run(id);
      })
      .immediate();
  }

  head(id: number): Revision {
    const row = this.db
      .prepare(
        'select revision.id, revision.parent_id, revision.number, revision.says, revision.at, revision.made_by, revision.author, revision.name, revision.rows from revision join model on model.head = revision.id where model.id = ?',
      )
      .get(id) as RevisionRow | undefined;
    if (!row) throw new NoModelError(`there is no model ${id} in this workspace`);
    return this.revision(row);
  }

  /**
   * Applies an edit to the head. Throws ConflictError where `base` is not the head, EditError where the edit
   * does not fit.
   */
  edit(id: number, base: number, edit: Edit, says: string, by = ''): Revision {
    return this.db
      .transaction(() => {
        const head = this.head(id);
        if (head.id !== base) throw new ConflictError(head);
        return this.add(id, head, applyEdit(head.model, edit), says, by);
      })
      .immediate();
  }

  /**
   * A change by the server itself (an intake), applied to whatever is the head. `before` does what belongs to
   * it, in the same transaction.
   */
  change(
    id: number,
    change: (model: Model) => Model,
    says: string,
    { by = '', before }: { by?: string; before?: () => void } = {},
  ): Revision {
    return this.db
      .transaction(() => {
        const head = this.head(id);
        before?.();
        return this.add(id, head, change(head.model), says, by);
      })
      .immediate();
  }

  /** Back to the revision before. Throws RowsGoneError where its rows have been removed. */
  undo(id: number, base: number): Revision | undefined {
    return this.step(id, base, (head) => head.parent ?? undefined);
  }

  /** Forward to the newest revision made on the head. */
  redo(id: number, base: number): Revision | undefined {
    return this.step(id, base, (head) => this.next(head.id));
  }

  /** The revision that undo or redo leads to, and what it does to rows; undefined where there is none. */
  beyond(id: number, way: 'undo' | 'redo'): { revision: Revision; rows: RowsChange[] } | undefined {
    const head = this.head(id);
    const target = way === 'undo' ? (head.parent ?? undefined) : this.next(head.id);
    if (target === undefined) return undefined;
    return { revision: this.find(target), rows: this.rowsChange(id, target) };
  }

  /** Does several things as one: all of them, or nothing. */
  together<T>(act: () => T): T {
    return this.db.transaction(act).immediate();
  }

  /**
   * Says that the head stands on the rows that the model has now: rows that came with it, not by an act of
   * their own.
   */
  standOnRows(id: number): void {
    this.db
      .prepare('update revision set rows = ? where id = (select head from model where id = ?)')
      .run(JSON.stringify(this.rows.versions(id)), id);
  }

  find(revision: number): Revision {
    const row = this.db
      .prepare(
        'select id, parent_id, number, says, at, made_by, author, name, rows from revision where id = ?',
      )
      .get(revision) as RevisionRow | undefined;
    if (!row) throw new NoModelError(`there is no revision ${revision} in this workspace`);
    return this.revision(row);
  }

  /** A revision of one model. Throws NoModelError where it is none of its. */
  ofModel(id: number, revision: number): Revision {
    const owner = this.db.prepare('select model_id from revision where id = ?').pluck().get(revision);
    if (owner !== id) throw new NoModelError(`model ${id} has no revision ${revision}`);
    return this.find(revision);
  }

  /** The rows that a revision stood on, for reading. Throws RowsGoneError where some have been removed. */
  rowsThen(id: number, revision: number): Record<string, string> {
    const then = this.rowsOf(revision) ?? this.rows.versions(id);
    for (const [key, version] of Object.entries(then)) this.rows.mustHave(id, key, version);
    return then;
  }

  /** The rows that a revision stands on, by source key; undefined where that was not kept. */
  rowsOf(revision: number): Record<string, string> | undefined {
    const text = this.db.prepare('select rows from revision where id = ?').pluck().get(revision) as
      | string
      | null
      | undefined;
    return text ? (JSON.parse(text) as Record<string, string>) : undefined;
  }

  private rowsChange(id: number, target: number): RowsChange[] {
    const wanted = this.rowsOf(target);
    if (!wanted) return [];
    const now = this.rows.versions(id);
    const keys = [...new Set([...Object.keys(now), ...Object.keys(wanted)])];
    return keys
      .filter((key) => now[key] !== wanted[key])
      .map((key) => ({ key, now: this.rows.count(now[key]), then: this.rows.count(wanted[key]) }));
  }

  canRedo(revision: number): boolean {
    return this.next(revision) !== undefined;
  }

  /** The chain from the newest revision that can be reached from the head back to the first. */
  history(id: number): (Omit<Revision, 'model'> & { isHead: boolean })[] {
    const head = this.head(id).id;
    let tip = head;
    for (let next = this.next(tip); next !== undefined; next = this.next(tip)) tip = next;
    const rows = this.db
      .prepare(
        `with recursive chain as (
           select id, parent_id, number, says, at, made_by, author, name from revision where id = ?
           union all
           select r.id, r.parent_id, r.number, r.says, r.at, r.made_by, r.author, r.name from revision r join chain c on r.id = c.parent_id
         ) select * from chain order by number desc limit 500`,
      )
      .all(tip) as Omit<RevisionRow, 'rows'>[];
    return rows.map((row) => ({
      id: row.id,
      number: row.number,
      says: row.says,
      at: row.at,
      parent: row.parent_id,
      by: row.made_by,
      author: row.author,
      name: row.name,
      isHead: row.id === head,
    }));
  }

  private step(id: number, base: number, to: (head: Revision) => number | undefined): Revision | undefined {
    return this.db
      .transaction(() => {
        const head = this.head(id);
        if (head.id !== base) throw new ConflictError(head);
        const target = to(head);
        if (target === undefined) return undefined;
        const wanted = this.rowsOf(target);
        if (wanted) this.rows.restore(id, wanted);
        this.db.prepare('update model set head = ? where id = ?').run(target, id);
        return this.head(id);
      })
      .immediate();
  }

  private next(revision: number): number | undefined {
    const row = this.db.prepare('select max(id) as id from revision where parent_id = ?').get(revision) as {
      id: number | null;
    };
    return row.id ?? undefined;
  }

  private add(id: number, head: Revision, model: Model, says: string, by: string): Revision {
    // A change that changes nothing makes no revision.
    if (writeModel(model) === writeModel(head.model) && this.stands(id, head.id)) return head;
    const revision = this.insert(id, head.id, head.number + 1, model, says, by);
    this.db.prepare('update model set head = ? where id = ?').run(revision, id);
    return this.head(id);
  }

  /** Whether a revision stands on the rows that the model has now. */
  private stands(id: number, revision: number): boolean {
    const known = this.rowsOf(revision);
    return known !== undefined && JSON.stringify(known) === JSON.stringify(this.rows.versions(id));
  }

  private insert(
    id: number,
    parent: number | null,
    number: number,
    model: Model,
    says: string,
    by: string,
  ): number {
    const sql =
      'insert into revision (model_id, parent_id, number, document, says, at, rows, made_by, author) values (?, ?, ?, ?, ?, ?, ?, ?, ?)';
    const rows = JSON.stringify(this.rows.versions(id));
    const document = this.documents.toStore(writeModel(model), parent);
    const at = this.now().toISOString();
    const author = this.authors.get(by) ?? '';
    const values = [id, parent, number, document, says, at, rows, by, author];
    return Number(this.db.prepare(sql).run(...values).lastInsertRowid);
  }

  /** The document of a revision's model, laid out once: every question takes it along. */
  documentOf({ model }: Pick<Revision, 'model'>): string {
    let text = this.laidOut.get(model);
    if (text === undefined) this.laidOut.set(model, (text = writeModel(model)));
    return text;
  }

  private revision(row: RevisionRow): Revision {
    let model = this.parsed.get(row.id);
    if (!model) {
      model = readModel(this.documents.read(row.id));
      this.parsed.set(row.id, model);
    }
    const { id, number, says, at, parent_id: parent, made_by: by, author, name } = row;
    return { id, number, says, at, model, parent, by, author, name };
  }
}
