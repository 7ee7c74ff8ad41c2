import type { Edit } from '@crease/core/edit';
import { applyEdit } from '@crease/core/edit';
import type { Model } from '@crease/core/model';
import { readModel, writeModel } from '@crease/core/model';
import type { Connection } from './database.ts';

export interface Revision {
  readonly id: number;
  readonly number: number;
  readonly says: string;
  readonly at: string;
  readonly model: Model;
  readonly parent: number | null;
}

interface RevisionRow {
  id: number;
  parent_id: number | null;
  number: number;
  document: string;
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

/** Models and their chains of revisions. The head moves back on undo and forward on redo; an edit starts a new branch of the chain. */
export class Models {
  private readonly parsed = new Map<number, Model>();

  constructor(
    private readonly db: Connection,
    private readonly now: () => Date = () => new Date(),
  ) {}

  ids(): number[] {
    return (
      this.db.prepare('select id from model where head in (select id from revision) order by id').all() as {
        id: number;
      }[]
    ).map((row) => row.id);
  }

  create(model: Model, says: string): number {
    return this.db.transaction(() => {
      const id = Number(
        this.db.prepare('insert into model (head, created_at) values (0, ?)').run(this.now().toISOString())
          .lastInsertRowid,
      );
      const revision = this.insert(id, null, 1, model, says);
      this.db.prepare('update model set head = ? where id = ?').run(revision, id);
      return id;
    })();
  }

  remove(id: number): void {
    this.db.transaction(() => {
      this.db.prepare('update revision set parent_id = null where model_id = ?').run(id);
      this.db.prepare('delete from model where id = ?').run(id);
    })();
  }

  head(id: number): Revision {
    const row = this.db
      .prepare('select revision.* from revision join model on model.head = revision.id where model.id = ?')
      .get(id) as RevisionRow | undefined;
    if (!row) throw new NoModelError(`there is no model ${id} in this workspace`);
    return this.revision(row);
  }

  /** Applies an edit to the head. Throws ConflictError where `base` is not the head, EditError where the edit does not fit. */
  edit(id: number, base: number, edit: Edit, says: string): Revision {
    return this.db.transaction(() => {
      const head = this.head(id);
      if (head.id !== base) throw new ConflictError(head);
      return this.add(id, head, applyEdit(head.model, edit), says);
    })();
  }

  /** A change by the server itself (an intake), applied to whatever is the head. */
  change(id: number, change: (model: Model) => Model, says: string): Revision {
    return this.db.transaction(() => {
      const head = this.head(id);
      return this.add(id, head, change(head.model), says);
    })();
  }

  undo(id: number, base: number): Revision | undefined {
    return this.step(id, base, (head) => head.parent ?? undefined);
  }

  /** Forward to the newest revision made on the head. */
  redo(id: number, base: number): Revision | undefined {
    return this.step(id, base, (head) => this.next(head.id));
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
           select id, parent_id, number, says, at from revision where id = ?
           union all
           select r.id, r.parent_id, r.number, r.says, r.at from revision r join chain c on r.id = c.parent_id
         ) select * from chain order by number desc limit 500`,
      )
      .all(tip) as Omit<RevisionRow, 'document'>[];
    return rows.map((row) => ({
      id: row.id,
      number: row.number,
      says: row.says,
      at: row.at,
      parent: row.parent_id,
      isHead: row.id === head,
    }));
  }

  private step(id: number, base: number, to: (head: Revision) => number | undefined): Revision | undefined {
    return this.db.transaction(() => {
      const head = this.head(id);
      if (head.id !== base) throw new ConflictError(head);
      const target = to(head);
      if (target === undefined) return undefined;
      this.db.prepare('update model set head = ? where id = ?').run(target, id);
      return this.head(id);
    })();
  }

  private next(revision: number): number | undefined {
    const row = this.db.prepare('select max(id) as id from revision where parent_id = ?').get(revision) as {
      id: number | null;
    };
    return row.id ?? undefined;
  }

  private add(id: number, head: Revision, model: Model, says: string): Revision {
    const revision = this.insert(id, head.id, head.number + 1, model, says);
    this.db.prepare('update model set head = ? where id = ?').run(revision, id);
    return this.head(id);
  }

  private insert(id: number, parent: number | null, number: number, model: Model, says: string): number {
    const sql =
      'insert into revision (model_id, parent_id, number, document, says, at) values (?, ?, ?, ?, ?, ?)';
    return Number(
      this.db.prepare(sql).run(id, parent, number, writeModel(model), says, this.now().toISOString())
        .lastInsertRowid,
    );
  }

  private revision(row: RevisionRow): Revision {
    let model = this.parsed.get(row.id);
    if (!model) {
      model = readModel(row.document);
      if (this.parsed.size > 50) this.parsed.clear();
      this.parsed.set(row.id, model);
    }
    return { id: row.id, number: row.number, says: row.says, at: row.at, model, parent: row.parent_id };
  }
}
