import type { Query, Relationship } from '../model/index.ts';
import { cardinalityOf } from '../model/index.ts';
import type {
  Asked,
  Claim,
  Count,
  Counted,
  CountedBySql,
  Judgement,
  Judging,
  RowsAsker,
} from '../claims/index.ts';
import {
  countInSql,
  failedJudgement,
  isOfSingleRows,
  isEmptyVerdict,
  mayBeDoubted,
  runCount,
  soundJudgement,
} from '../claims/index.ts';
import type { Answer, ModelData } from '../query/index.ts';
import { DataError } from '../query/index.ts';
import { counting, RowsStatement } from '../sql/index.ts';
import type { SqlSetting } from '../sql/index.ts';
import { numberText } from '../values/index.ts';
import type { Warehouse } from './facts.ts';

/** What claims are judged on. */
export interface JudgedOn {
  readonly warehouse: Warehouse;
  readonly setting: SqlSetting;
  /** What is at hand as columns: claims that look at the model alone are judged on it. */
  readonly data: ModelData;
  /** Answers a question on the warehouse. */
  answer(query: Query): Promise<Answer>;
}

/** What hears how judging goes on. */
export interface JudgingEvents {
  /**
   * Hears what a sample of a large table says of a claim, before all rows are counted: broken, or open.
   * Without it no sample is looked at.
   */
  onFirst?(claim: Claim, judgement: Judgement): void;
  onJudged?(claim: Claim, judgement: Judgement): void;
  /** Hears of faults of this program. */
  onError?(error: unknown): void;
}

/**
 * Judges claims where the rows lie: what they count is asked in SQL, those of one table in as few passes as
 * can be, and samples only of what is broken. The judgements are those that encoded columns would give, but
 * for the lines of files. Rejects with what `ask` throws that is no DataError.
 */
export async function judgeOnWarehouse(
  claims: readonly Claim[],
  on: JudgedOn,
  events: JudgingEvents = {},
): Promise<Map<Claim, Judgement>> {
  const judging = new WarehouseJudging(on, events);
  const started = claims.map((claim) => judging.start(claim));
  if (events.onFirst) await judging.lookAtSamples(started);
  await judging.countAll(started.flatMap(({ first }) => (first && 'count' in first ? [first.count] : [])));
  const judgements = new Map<Claim, Judgement>();
  for (const one of started) {
    const judgement = await judging.finish(one);
    judgements.set(one.claim, judgement);
    events.onJudged?.(one.claim, judgement);
  }
  return judgements;
}

/** A claim whose judging has told what it asks for first, or has ended at once. */
interface Started {
  readonly claim: Claim;
  readonly judging?: Judging;
  readonly first?: Asked;
  readonly judgement?: Judgement;
}

class WarehouseJudging {
  private readonly found = new Map<string, CountedBySql>();
  private readonly rowCounts = new Map<string, Promise<number>>();
  private readonly several = new Map<Relationship, boolean>();
  private followed = new Set<Relationship>();
  private readonly asker: RowsAsker;

  constructor(
    private readonly on: JudgedOn,
    private readonly events: JudgingEvents,
  ) {
    const setting: SqlSetting = { ...on.setting, onLookup: (r) => this.followed.add(r) };
    this.asker = {
      on: (table) => new RowsStatement(setting, on.warehouse.dialect, table),
      ask: (statement) => on.warehouse.ask(statement),
      rowCount: (table) => this.rowCount(table),
      lookups: () => {
        const { followed } = this;
        this.followed = new Set();
        return followed;
      },
    };
  }

  start(claim: Claim): Started {
    try {
      if (!claim.judging) return { claim, judgement: this.judgedHere(claim) };
      const judging = claim.judging(this.on.setting);
      const step = judging.next();
      return step.done
        ? { claim, judgement: this.plain(claim, step.value) }
        : { claim, judging, first: step.value };
    } catch (error) {
      return { claim, judgement: failedJudgement(error, this.events.onError) };
    }
  }

  /**
   * Judges on samples what counts single rows of large tables. What cannot be counted so is left to the exact
   * count, which says why.
   */
  async lookAtSamples(started: readonly Started[]): Promise<void> {
    const { warehouse, setting } = this.on;
    const ofSample = started.flatMap(({ claim, first }) => {
      if (!first || !('count' in first) || !isOfSingleRows(first.count)) return [];
      const table = setting.checker.names.stored(first.count.table);
      return table && warehouse.drawnRowsOf?.(table) !== undefined ? [{ claim, count: first.count }] : [];
    });
    if (ofSample.length === 0) return;
    const drawn: SqlSetting = {
      ...setting,
      onLookup: (r) => this.followed.add(r),
      baseRowsOf: (table) => warehouse.drawnRowsOf!(table),
    };
    const asker: RowsAsker = {
      ...this.asker,
      on: (table) => new RowsStatement(drawn, warehouse.dialect, table),
    };
    const found = new Map<string, CountedBySql>();
    const counts = new Map(ofSample.map(({ count }) => [nameOf(count), count]));
    await countInSql([...counts.values()], asker, (count, counted) => found.set(nameOf(count), counted));
    for (const { claim, count } of ofSample) {
      const { result, followed } = found.get(nameOf(count))!;
      // Where the sample has nothing to check it has nothing to say.
      if (result instanceof Error || result.checked === 0) continue;
      // A second run of the same steps: the first one waits for the exact count.
      const again = claim.judging!(setting);
      again.next();
      const step = again.next(result);
      if (!step.done) continue;
      const judgement = await this.sound(claim, step.value, followed);
      if (judgement.verdict !== 'unchecked')
        this.events.onFirst!(claim, ofSampledRows(judgement, result.checked));
    }
  }

  /** Counts what is not known yet. */
  async countAll(counts: readonly Count[]): Promise<void> {
    const missing = new Map<string, Count>();
    for (const count of counts)
      if (!this.found.has(nameOf(count)) && !this.countHere(count)) missing.set(nameOf(count), count);
    await countInSql([...missing.values()], this.asker, (count, counted) =>
      this.found.set(nameOf(count), counted),
    );
  }

  /**
   * Counts on columns what is held here as a whole. Where rows cannot be had, the claims that need them say
   * so, and the others are judged.
   */
  private countHere(count: Count): boolean {
    const { data } = this.on;
    try {
      return here(
        () => {
          const { result, followed } = data.following(() => runCount(count, data));
          this.found.set(nameOf(count), { result, followed });
          return true;
        },
        () => false,
      );
    } catch (error) {
      if (!(error instanceof DataError)) throw error;
      this.found.set(nameOf(count), { result: error, followed: new Set() });
      return true;
    }
  }

  async finish({ claim, judging, first, judgement }: Started): Promise<Judgement> {
    if (judgement || !judging) return judgement!;
    const followed = new Set<Relationship>();
    try {
      let asked = first!;
      for (;;) {
        const step = judging.next(await this.answerTo(asked, followed));
        if (step.done) return await this.sound(claim, step.value, followed);
        asked = step.value;
      }
    } catch (error) {
      return failedJudgement(error, this.events.onError);
    }
  }

  private async answerTo(asked: Asked, followed: Set<Relationship>): Promise<Counted | Answer> {
    if ('query' in asked) return this.on.answer(asked.query);
    await this.countAll([asked.count]);
    const found = this.found.get(nameOf(asked.count))!;
    if (found.result instanceof Error) throw found.result;
    for (const r of found.followed) followed.add(r);
    return found.result;
  }

  private async sound(
    claim: Claim,
    judgement: Judgement,
    followed: ReadonlySet<Relationship>,
  ): Promise<Judgement> {
    const { checker } = this.on.setting;
    let ambiguous: Relationship | undefined;
    if (mayBeDoubted(claim, judgement))
      for (const r of followed) if (!ambiguous && (await this.meetsSeveral(r))) ambiguous = r;
    let empty: string | null | undefined;
    if (isEmptyVerdict(claim, judgement)) {
      empty = null;
      for (const name of claim.tables) if (empty === null && (await this.rowCount(name)) === 0) empty = name;
    }
    return soundJudgement(claim, judgement, { checker, ambiguous, empty });
  }

  /** A claim about the model, or about what columns alone can tell. */
  private judgedHere(claim: Claim): Judgement {
    return this.plain(claim, claim.judge(this.on.data));
  }

  private plain(claim: Claim, judgement: Judgement): Judgement {
    return soundJudgement(claim, judgement, { checker: this.on.setting.checker });
  }

  private rowCount(table: string): Promise<number> {
    const key = table.toLowerCase();
    let known = this.rowCounts.get(key);
    if (!known) {
      known = this.countAllRows(table);
      this.rowCounts.set(key, known);
    }
    return known;
  }

  private async countAllRows(table: string): Promise<number> {
    const held = here<number | undefined>(
      () => this.on.data.rowCount(table),
      () => undefined,
    );
    if (held !== undefined) return held;
    const rows = this.asker.on(table);
    const columns = [counting('n', 'count(*)')];
    const [row] = await this.on.warehouse.ask(rows.compiled(rows.rows(columns), columns));
    return Number(row![0]);
  }

  /** Whether some row of the one end meets several of the other. */
  private async meetsSeveral(r: Relationship): Promise<boolean> {
    const kind = cardinalityOf(r);
    if (kind === 'many-to-many' || kind === 'many-to-level') return false;
    let known = this.several.get(r);
    if (known === undefined) {
      known = await this.asksForSeveral(r);
      this.several.set(r, known);
    }
    return known;
  }

  private async asksForSeveral({ from, to }: Relationship): Promise<boolean> {
    const { setting, warehouse } = this.on;
    const target = setting.checker.names.table(to.table)!;
    if (setting.isUnique!(target, to.columns)) return false;
    const rows = this.asker.on(from.table);
    const theirs = rows.valuesOf(to.table, to.columns);
    const keys = theirs.types.map((_, i) => `v${i}`);
    const several = `select ${keys.join(', ')} from (${theirs.sql}) v where ${keys.map((k) => `${k} is not null`).join(' and ')} group by ${keys.join(', ')} having count(*) > 1`;
    const on = from.columns.map((name, i) =>
      rows.equal(rows.own(name), { sql: `s.v${i}`, type: theirs.types[i]! }),
    );
    rows.join(`join (${several}) s on ${on.join(' and ')}`);
    const columns = [counting('found', '1')];
    return (await warehouse.ask(rows.compiled(rows.rows(columns, 'limit 1'), columns))).length > 0;
  }
}

/** How sure a sample is to show a flaw of the share that is named with it. */
const CONFIDENCE = 0.99;

/**
 * A judgement on a sample of rows. A flaw is one wherever it is found; that none was found leaves the claim
 * open, and it is said what share of the rows could be flawed without having shown: n rows miss a flaw in a
 * share f of all with a probability of (1 − f)^n.
 */
function ofSampledRows(judgement: Judgement, rows: number): Judgement {
  const evidence = { ...judgement.evidence, reason: { code: 'sampled' as const } };
  const sampled = `Of a sample of ${numberText(rows)} rows; all rows are being counted`;
  if (judgement.verdict === 'broken')
    return { ...judgement, evidence: { ...evidence, notes: [...(evidence.notes ?? []), sampled] } };
  const oneIn = Math.floor(1 / (1 - (1 - CONFIDENCE) ** (1 / rows)));
  const missed = `${sampled}. None speaks against it: a flaw in one of ${numberText(oneIn)} rows, or more, would have shown with a probability of 99 %`;
  return { verdict: 'unchecked', evidence: { ...evidence, notes: [missed] } };
}

/** Does something on what is held here, or another thing where rows are passed through. */
function here<T>(act: () => T, elsewhere: () => T): T {
  try {
    return act();
  } catch (error) {
    if (error instanceof DataError && error.reason.code === 'passed-through') return elsewhere();
    throw error;
  }
}

const nameOf = (count: Count): string => JSON.stringify(count);
