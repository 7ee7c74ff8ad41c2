import type { LoadEntry, RecipeState } from '@crease/contract';
import type { Connection } from './database.ts';

/** A recipe as it was kept; older ones say nothing of claims. */
const asRecipe = (document: string): RecipeState => ({
  ...{ broken: 'store' as const },
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

  note(modelId: number, entry: Omit<LoadEntry, 'at' | 'id'>, now = new Date()): void {
    this.db
      .prepare('insert into load_log (model_id, document) values (?, ?)')
      .run(modelId, JSON.stringify({ ...entry, at: now.toISOString() } satisfies Omit<LoadEntry, 'id'>));
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
