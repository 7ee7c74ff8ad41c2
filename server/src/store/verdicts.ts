import type { Judgement } from '@crease/core/claims';
import type { Connection } from './database.ts';

export interface StoredVerdict {
  readonly claim: string;
  /**
   * A digest of all that the judgement rests on; another digest means that the claim has to be judged again.
   */
  readonly basis: string;
  readonly judgement: Judgement;
}

export class Verdicts {
  constructor(private readonly db: Connection) {}

  all(modelId: number): StoredVerdict[] {
    const rows = this.db
      .prepare('select claim, basis, judgement from verdict where model_id = ?')
      .all(modelId) as {
      claim: string;
      basis: string;
      judgement: string;
    }[];
    return rows.map((row) => ({ ...row, judgement: JSON.parse(row.judgement) as Judgement }));
  }

  save(modelId: number, verdicts: readonly StoredVerdict[]): void {
    const insert = this.db.prepare(
      'insert or replace into verdict (model_id, claim, basis, judgement) values (?, ?, ?, ?)',
    );
    this.db
      .transaction(() => {
        for (const v of verdicts) insert.run(modelId, v.claim, v.basis, JSON.stringify(v.judgement));
      })
      .immediate();
  }
}
