import type { LoadPlan, PlanRun } from '@crease/contract';
import type { Connection } from './database.ts';

const MOST_RUNS = 200;

/** A load plan of a model, and up to when its times have been looked at. */
export interface KeptPlan {
  readonly modelId: number;
  readonly plan: LoadPlan;
  readonly considered: Date;
}

/** What a run remembers of a file, to tell whether there is anything new. */
export interface FileSeen {
  readonly path: string;
  readonly size: number;
  readonly changedMs: number;
}

/** Load plans by name, and how they ran. */
export class Plans {
  constructor(private readonly db: Connection) {}

  all(): KeptPlan[] {
    const rows = this.db
      .prepare('select model_id as modelId, document, considered from load_plan order by model_id, name')
      .all() as { modelId: number; document: string; considered: string }[];
    return rows.map(({ modelId, document, considered }) => ({
      modelId,
      plan: JSON.parse(document) as LoadPlan,
      considered: new Date(considered),
    }));
  }

  of(modelId: number): KeptPlan[] {
    return this.all().filter((p) => p.modelId === modelId);
  }

  find(modelId: number, name: string): LoadPlan | undefined {
    const document = this.db
      .prepare('select document from load_plan where model_id = ? and name = ?')
      .pluck()
      .get(modelId, name) as string | undefined;
    return document === undefined ? undefined : (JSON.parse(document) as LoadPlan);
  }

  /** Keeps a plan; times that came before now are not made up for. */
  keep(modelId: number, plan: LoadPlan, now: Date): void {
    this.db
      .prepare(
        `insert into load_plan (model_id, name, document, considered) values (?, ?, ?, ?)
         on conflict (model_id, name) do update
         set name = excluded.name, document = excluded.document, considered = excluded.considered`,
      )
      .run(modelId, plan.name, JSON.stringify(plan), now.toISOString());
  }

  /** Removes a plan, and what it knows of its files: one of the same name begins anew. */
  remove(modelId: number, name: string): boolean {
    this.db.prepare('delete from plan_file where model_id = ? and plan = ?').run(modelId, name);
    return (
      this.db.prepare('delete from load_plan where model_id = ? and name = ?').run(modelId, name).changes > 0
    );
  }

  setConsidered(modelId: number, name: string, now: Date): void {
    this.db
      .prepare('update load_plan set considered = ? where model_id = ? and name = ?')
      .run(now.toISOString(), modelId, name);
  }

  note(modelId: number, run: Omit<PlanRun, 'id'>): void {
    this.db
      .prepare('insert into plan_run (model_id, document) values (?, ?)')
      .run(modelId, JSON.stringify(run));
    this.db
      .prepare(
        `delete from plan_run where model_id = ? and id not in
           (select id from plan_run where model_id = ? order by id desc limit ${MOST_RUNS})`,
      )
      .run(modelId, modelId);
  }

  /** The last runs first. */
  runs(modelId: number): PlanRun[] {
    const rows = this.db
      .prepare('select id, document from plan_run where model_id = ? order by id desc')
      .all(modelId) as { id: number; document: string }[];
    return rows.map(({ id, document }) => ({ ...(JSON.parse(document) as Omit<PlanRun, 'id'>), id }));
  }

  /** The file that a recipe of a plan was last loaded from. */
  fileSeen(modelId: number, plan: string, recipe: string): FileSeen | undefined {
    const document = this.db
      .prepare('select document from plan_file where model_id = ? and plan = ? and recipe = ?')
      .pluck()
      .get(modelId, plan, recipe) as string | undefined;
    return document === undefined ? undefined : (JSON.parse(document) as FileSeen);
  }

  setFileSeen(modelId: number, plan: string, recipe: string, file: FileSeen): void {
    this.db
      .prepare('insert or replace into plan_file (model_id, plan, recipe, document) values (?, ?, ?, ?)')
      .run(modelId, plan, recipe, JSON.stringify(file));
  }
}
