import type { Judgement, JudgedClaim, Remedy, Summary, Verdict } from '@crease/core/claims';
import { present, summarise } from '@crease/core/claims';
import type { ClaimsState } from '@crease/contract';
import type { Clock } from '../clock.ts';
import { DatabaseError } from '../databases/reader.ts';
import type { PassedTables } from '../warehouse/passedTables.ts';
import type { Hub } from '../live/hub.ts';
import type { Models, ModelVersion, Revision, Tables, Verdicts } from '../store/index.ts';
import type { Pool } from '../tasks/pool.ts';
import type { Running } from '../threads/pool.ts';
import type { JudgeEnd, JudgeMessage, ListedClaim } from './judge.ts';
import { JudgingShare } from './share.ts';

interface Entry {
  readonly basis: string;
  readonly judgement: Judgement;
  readonly remedies: readonly Remedy[];
}

/** One judging of a model: of a revision, on versions of its rows, on a day. */
interface Run {
  readonly revision: Revision;
  readonly versions: string;
  readonly day: string;
  listed: readonly ListedClaim[];
  readonly entries: Map<string, Entry>;
  state: 'judging' | 'done' | 'failed';
  /** What failed, of a run that did. */
  failure: string | undefined;
  readonly running: Running<JudgeEnd>[];
  /** Ends what is asked of databases. */
  readonly asking: AbortController;
  elapsedMs: number;
}

const BEING_JUDGED: Judgement = {
  verdict: 'unchecked',
  evidence: { checked: 0, against: 0, notes: ['being judged'] },
};

const unreachable = (message: string): Judgement => ({
  verdict: 'unchecked',
  evidence: { checked: 0, against: 0, notes: [message], reason: { code: 'failed' } },
});

/** Whether a claim still waits for its database: it has not been asked, or has told of a sample alone. */
const isOpenThere = ({ evidence: { reason } }: Judgement): boolean =>
  reason?.code === 'passed-through' || reason?.code === 'sampled';

/** With fewer claims to judge, a second thread costs more than it saves. */
const ENOUGH_FOR_TWO = 24;

/** What the queue needs of a workspace. */
export interface Judged {
  readonly file: string;
  readonly models: Models;
  readonly tables: Tables;
  readonly verdicts: Verdicts;
  readonly pool: Pool;
  readonly passed: Pick<PassedTables, 'grouped' | 'judge' | 'versions'>;
  readonly hub: Hub;
  readonly clock: Clock;
  /** Hears of faults of this program. */
  onBug(error: unknown): void;
}

/**
 * Keeps the verdicts of each model up to date: after a change it lists the claims anew, keeps the verdicts
 * whose basis stands, and has the others judged in workers. A newer change stops the run of an older one.
 * What is asked for is always of the head, of the rows that are there now, and of today: where the last run
 * was of something else, another is begun.
 */
export class JudgingQueue {
  private readonly runs = new Map<number, Run>();
  /** What somebody looks at, by model. */
  private readonly interests = new Map<number, readonly string[]>();

  constructor(private readonly of: Judged) {}

  /** Judges what the head of a model needs judged. Called after every change of the model or its rows. */
  refresh(modelId: number): void {
    const { models, verdicts, clock } = this.of;
    const revision = models.head(modelId);
    const before = this.runs.get(modelId);
    before?.running.forEach((running) => running.stop());
    before?.asking.abort();
    const stored = () =>
      verdicts
        .all(modelId)
        .map(({ claim, basis, judgement }) => [claim, { basis, judgement, remedies: [] }] as const);
    const run: Run = {
      revision,
      versions: this.versionsOf(modelId),
      day: clock.today(),
      // Until they are listed anew, the claims of the revision before are shown as unchecked.
      listed: before?.listed.map((claim) => ({ ...claim, basis: '' })) ?? [],
      entries: before?.entries ?? new Map<string, Entry>(stored()),
      state: 'judging',
      failure: undefined,
      running: [],
      asking: new AbortController(),
      elapsedMs: 0,
    };
    this.runs.set(modelId, run);
    void this.judge(modelId, run);
  }

  /** A model that has been deleted: its work is stopped, and nothing is kept of it. */
  forget(modelId: number): void {
    this.runs.get(modelId)?.running.forEach((running) => running.stop());
    this.runs.get(modelId)?.asking.abort();
    this.runs.delete(modelId);
    this.interests.delete(modelId);
  }

  /** Says what somebody looks at: its claims are judged first when there is something to judge. */
  interest(modelId: number, names: readonly string[]): void {
    this.interests.set(modelId, names);
  }

  private versionsOf(modelId: number): string {
    return JSON.stringify(this.of.tables.versions(modelId));
  }

  private isCurrent(modelId: number, run: Run): boolean {
    return this.runs.get(modelId) === run;
  }

  private async judge(modelId: number, run: Run): Promise<void> {
    const start = performance.now();
    try {
      const grouped = this.of.passed.grouped(run.revision.model);
      const onModel = {
        ...(grouped ? { grouped } : {}),
        workspace: this.of.file,
        modelId,
        revision: run.revision.id,
        document: this.of.models.documentOf(run.revision),
        versions: {
          ...(JSON.parse(run.versions) as Record<string, string>),
          ...(await this.of.passed.versions(run.revision.model)),
        },
        day: run.day,
      };
      if (!this.isCurrent(modelId, run)) return;
      if (!(await this.runThreads(modelId, run, onModel))) return;
      await this.askDatabases(modelId, run, onModel);
      if (!this.isCurrent(modelId, run)) return;
      run.state = 'done';
      run.elapsedMs = Math.round(performance.now() - start);
      this.tell(modelId, run);
      await this.makeRemedies(modelId, run, onModel);
    } catch (error) {
      this.of.onBug(error);
      if (!this.isCurrent(modelId, run)) return;
      if (run.state !== 'done') {
        run.state = 'failed';
        run.failure = error instanceof Error ? error.message : String(error);
      }
      this.tell(modelId, run);
    }
  }

  /**
   * Has one thread list and judge, and a second one help where there is enough to do. Whether the run was
   * done and is still the current one.
   */
  private async runThreads(modelId: number, run: Run, onModel: ModelVersion): Promise<boolean> {
    const known = Object.fromEntries([...run.entries].map(([claim, { basis }]) => [claim, { basis }]));
    const share = new JudgingShare();
    const order = {
      ...onModel,
      known,
      interest: this.interests.get(modelId) ?? [],
      share: share.memory,
    };
    const begin = (fromBack: boolean) => {
      const onMessage = (message: JudgeMessage) => {
        this.take(modelId, run, message);
        if (message.kind === 'listed' && message.open >= ENOUGH_FOR_TWO && this.isCurrent(modelId, run))
          begin(true);
      };
      const threads = fromBack ? 'loads' : 'questions';
      const running = this.of.pool.start('judge', { ...order, fromBack }, onMessage, threads);
      // Nobody may be waiting for the second thread when it fails.
      if (fromBack) running.done.catch((error: unknown) => this.of.onBug(error));
      run.running.push(running);
    };
    begin(false);
    if ((await run.running[0]!.done).stopped) return false;
    // The second thread begins while the first one works. Where it had to wait, for files that are read, and
    // has taken nothing, nothing is left for it.
    const second = run.running[1];
    if (second && share.isHelped && (await second.done).stopped) return false;
    return this.isCurrent(modelId, run);
  }

  /** Judges where they lie the claims whose rows are passed through. */
  private async askDatabases(modelId: number, run: Run, onModel: ModelVersion): Promise<void> {
    const open = new Map(
      run.listed.flatMap(({ id, basis }) => {
        const entry = run.entries.get(id);
        return entry?.basis === basis && isOpenThere(entry.judgement) ? [[id, basis] as const] : [];
      }),
    );
    if (open.size === 0) return;
    const told = (claim: string, judgement: Judgement, remedies: readonly Remedy[]) =>
      this.take(modelId, run, {
        kind: 'judged',
        verdicts: [{ claim, basis: open.get(claim)!, judgement, remedies }],
      });
    try {
      await this.of.passed.judge(onModel, new Set(open.keys()), told, this.of.onBug, run.asking.signal);
    } catch (error) {
      if (!(error instanceof DatabaseError)) throw error;
      if (run.asking.signal.aborted) return;
      // The database cannot be asked now: claims say so, and are judged again with the next change or on
      // request.
      const judgement = unreachable(error.message);
      for (const id of open.keys()) if (isOpenThere(run.entries.get(id)!.judgement)) told(id, judgement, []);
    }
  }

  /** Ways out of the broken claims whose verdict stood: verdicts do not wait for them. */
  private async makeRemedies(modelId: number, run: Run, onModel: ModelVersion): Promise<void> {
    const broken = run.listed.flatMap(({ id, basis }) => {
      const entry = run.entries.get(id);
      return entry?.basis === basis && entry.judgement.verdict === 'broken' && entry.remedies.length === 0
        ? [[id, entry.judgement] as const]
        : [];
    });
    if (broken.length === 0) return;
    const made = await this.of.pool.run('remedies', { ...onModel, broken: Object.fromEntries(broken) });
    if (!this.isCurrent(modelId, run)) return;
    for (const { claim, remedies } of made) run.entries.set(claim, { ...run.entries.get(claim)!, remedies });
    this.tell(modelId, run);
  }

  private take(modelId: number, run: Run, message: JudgeMessage): void {
    if (!this.isCurrent(modelId, run)) return;
    const { entries } = run;
    if (message.kind === 'listed') {
      run.listed = message.claims;
      // Ways out belong to the revision for which they were made.
      for (const [claim, entry] of entries)
        if (entry.remedies.length > 0) entries.set(claim, { ...entry, remedies: [] });
    } else {
      for (const v of message.verdicts)
        entries.set(v.claim, {
          basis: v.basis,
          judgement: v.judgement,
          remedies: v.remedies,
        });
      // What is about the model alone is judged anew each time: there is nothing to keep. What failed is not
      // to be taken for a verdict.
      const kept = message.verdicts.filter(
        (v) =>
          !v.basis.startsWith('revision ') &&
          v.judgement.evidence.reason?.code !== 'failed' &&
          !isOpenThere(v.judgement),
      );
      this.of.verdicts.save(
        modelId,
        kept.map((v) => ({ claim: v.claim, basis: v.basis, judgement: v.judgement })),
      );
    }
    this.tell(modelId, run);
  }

  private tell(modelId: number, run: Run): void {
    this.of.hub.send(modelId, {
      kind: 'claims',
      revision: run.revision.id,
      done: run.state !== 'judging',
      summary: summarise(this.presented(run)),
    });
  }

  /**
   * The current run of a model; begun anew where the last was of another revision, other rows or another day.
   */
  private current(modelId: number): Run {
    const run = this.runs.get(modelId);
    const stands =
      run !== undefined &&
      run.revision.id === this.of.models.head(modelId).id &&
      run.versions === this.versionsOf(modelId) &&
      run.day === this.of.clock.today();
    if (!stands) this.refresh(modelId);
    return this.runs.get(modelId)!;
  }

  /** Claims of the head with the verdicts that stand; all others are unchecked. */
  state(modelId: number): ClaimsState {
    const run = this.current(modelId);
    const claims = this.presented(run);
    return {
      revision: run.revision.id,
      done: run.state === 'done',
      ...(run.failure === undefined ? {} : { failure: run.failure }),
      claims,
      summary: summarise(claims),
      elapsedMs: run.elapsedMs,
    };
  }

  /** How many claims of the head have which verdict. */
  summary(modelId: number): { done: boolean; failure?: string; summary: Summary } {
    const run = this.current(modelId);
    return {
      done: run.state === 'done',
      ...(run.failure === undefined ? {} : { failure: run.failure }),
      summary: summarise(this.presented(run)),
    };
  }

  /** What is known of each claim of the head that has been judged. */
  known(modelId: number): Record<string, { basis: string; verdict: Verdict; against: number }> {
    const { claims } = this.state(modelId);
    const run = this.runs.get(modelId)!;
    return Object.fromEntries(
      claims
        .filter((c) => c.verdict !== 'unchecked')
        .map((c) => [
          c.id,
          {
            basis: run.entries.get(c.id)?.basis ?? '',
            verdict: c.verdict,
            against: c.evidence.against,
          },
        ]),
    );
  }

  private presented(run: Run): JudgedClaim[] {
    const stands = (claim: ListedClaim) => {
      const entry = run.entries.get(claim.id);
      return entry !== undefined && entry.basis === claim.basis ? entry : undefined;
    };
    const judged = run.listed.map((claim) => ({
      claim,
      judgement: stands(claim)?.judgement ?? BEING_JUDGED,
    }));
    return present(judged, run.revision.model, this.today(), (claim) => stands(claim)?.remedies ?? []);
  }

  /** The day by which waivers end, in ISO 8601. */
  today(): string {
    return this.of.clock.today();
  }
}
