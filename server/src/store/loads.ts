import type { LoadEntry, RecipeState } from '@crease/contract';
import type { Connection } from './database.ts';

/** A recipe as it was kept; older ones say nothing of claims. */
const asRecipe = (document: string): RecipeState => ({
  ...{ broken: 'store' as const, unknown: 'list' as const },
  ...(JSON.parse(document) as RecipeState),
});

/** Recipes by name, and what has been loaded when. */
export class Loads {
  constructor(private readonly db: Connection) {}

  recipes(modelId: number): RecipeState[] {
    const rows = this.db
      .prepare('select document from recipe where model_id = ? order by name')
      .all(modelId) as { document: string }[];
    return rows.map((r) => asRecipe(r.document));
  }

  recipe(modelId: number, name: string): RecipeState | undefined {
    const row = this.db
      .prepare('select document from recipe where model_id = ? and name = ?')
      .get(modelId, name) as { document: string } | undefined;
    return row && asRecipe(row.document);
  }

  keep(modelId: number, recipe: RecipeState): void {
    this.db
      .prepare(
        'insert into recipe (model_id, name, document) values (?, ?, ?) on conflict (model_id, name) do update set document = excluded.document',
      )
      .run(modelId, recipe.name, JSON.stringify(recipe));
  }

  remove(modelId: number, name: string): boolean {
    return (
      this.db.prepare('delete from recipe where model_id = ? and name = ?').run(modelId, name).changes > 0
    );
  }

  /** `leftOut` has the records that were not taken, as a file. */
  note(modelId: number, entry: Omit<LoadEntry, 'at' | 'id'>, leftOut?: string, now = new Date()): void {
    const kept = { ...entry, at: now.toISOString(), ...(leftOut === undefined ? {} : { hasRecords: true }) };
    const { lastInsertRowid } = this.db
      .prepare('insert into load_log (model_id, document) values (?, ?)')
      .run(modelId, JSON.stringify(kept satisfies Omit<LoadEntry, 'id'>));
    if (leftOut !== undefined)
      this.db.prepare('insert into left_out (load_id, text) values (?, ?)').run(lastInsertRowid, leftOut);
  }

  /** The records that a load did not take. */
  leftOut(modelId: number, id: number): string | undefined {
    return this.db
      .prepare(
        'select o.text from left_out o join load_log l on l.id = o.load_id where l.model_id = ? and l.id = ?',
      )
      .pluck()
      .get(modelId, id) as string | undefined;
  }

  /** The last loads first. */
  log(modelId: number, most = 200): LoadEntry[] {
    const rows = this.db
      .prepare('select id, document from load_log where model_id = ? order by id desc limit ?')
      .all(modelId, most) as { id: number; document: string }[];
    return rows.map(({ id, document }) => ({ ...(JSON.parse(document) as Omit<LoadEntry, 'id'>), id }));
  }

  entry(modelId: number, id: number): LoadEntry | undefined {
    const row = this.db
      .prepare('select document from load_log where model_id = ? and id = ?')
      .get(modelId, id) as { document: string } | undefined;
    return row && { ...(JSON.parse(row.document) as Omit<LoadEntry, 'id'>), id };
  }

  /** Says of a load that it has been reverted. */
  markReverted(modelId: number, { id, ...entry }: LoadEntry, now = new Date()): void {
    this.db
      .prepare('update load_log set document = ? where model_id = ? and id = ?')
      .run(JSON.stringify({ ...entry, reverted: now.toISOString() }), modelId, id);
  }
}
