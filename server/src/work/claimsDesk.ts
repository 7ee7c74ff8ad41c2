import type { Judgement, JudgedClaim, Remedy, Verdict } from '@crease/core/claims';
import { present, summarise } from '@crease/core/claims';
import type { ClaimsState } from '@crease/contract';
import { writeModel } from '@crease/core/model';
import type { Hub } from '../live/hub.ts';
import type { Models, Revision, Tables, Verdicts } from '../store/index.ts';
import type { Running, WorkPool } from './pool.ts';
import type { JudgeMessage, ListedClaim, Task } from './tasks.ts';

interface Entry {
  readonly basis: string;
  readonly judgement: Judgement;
  readonly remedies: readonly Remedy[];
}

interface Desk {
  readonly revision: Revision;
  listed: readonly ListedClaim[];
  readonly entries: Map<string, Entry>;
  done: boolean;
  readonly running: Running<{ stopped: boolean }>[];
  elapsedMs: number;
}

const BEING_JUDGED: Judgement = {
  verdict: 'unchecked',
  evidence: { checked: 0, against: 0, notes: ['being judged'] },
};

/** With fewer claims to judge, a second thread costs more than it saves. */
const ENOUGH_FOR_TWO = 24;

/**
 * Keeps the verdicts of each model up to date: after a change it lists the claims anew, keeps the verdicts whose basis
 * stands, and has the others judged in workers. A newer change stops the run of an older one.
 */
export class ClaimsDesk {
  private readonly desks = new Map<number, Desk>();
  /** What somebody looks at, by model. */
  private readonly interests = new Map<number, readonly string[]>();

  constructor(
    private readonly workspace: string,
    private readonly models: Models,
    private readonly tables: Tables,
    private readonly verdicts: Verdicts,
    private readonly pool: WorkPool,
    private readonly hub: Hub,
    private readonly onBug: (error: unknown) => void,
  ) {}

  /** Judges what the head of a model needs judged. Called after every change of the model or its rows. */
  refresh(modelId: number): void {
    const revision = this.models.head(modelId);
    const before = this.desks.get(modelId);
    before?.running.forEach((run) => run.stop());
    const stored = () =>
      this.verdicts
        .all(modelId)
        .map(({ claim, basis, judgement }) => [claim, { basis, judgement, remedies: [] }] as const);
    const entries = before?.entries ?? new Map<string, Entry>(stored());
    const desk: Desk = { revision, listed: [], entries, done: false, running: [], elapsedMs: 0 };
    // Until they are listed anew, the claims of the revision before are shown as unchecked.
    desk.listed = before?.listed.map((claim) => ({ ...claim, basis: '' })) ?? [];
    this.desks.set(modelId, desk);
    void this.judge(modelId, desk);
  }

  /** Says what somebody looks at: its claims are judged first when there is something to judge. */
  interest(modelId: number, names: readonly string[]): void {
    this.interests.set(modelId, names);
  }

  private async judge(modelId: number, desk: Desk): Promise<void> {
    const start = performance.now();
    const known = Object.fromEntries([...desk.entries].map(([claim, { basis }]) => [claim, { basis }]));
    const onModel = {
      workspace: this.workspace,
      modelId,
      revision: desk.revision.id,
      document: writeModel(desk.revision.model),
      versions: this.tables.versions(modelId),
    };
    const task = {
      kind: 'judge' as const,
      ...onModel,
      known,
      interest: this.interests.get(modelId) ?? [],
      taken: new Int32Array(new SharedArrayBuffer(12)),
    };
    const begin = (fromBack: boolean) => {
      const onMessage = (message: JudgeMessage) => {
        this.take(modelId, desk, message);
        if (message.kind === 'listed' && message.open >= ENOUGH_FOR_TWO && this.desks.get(modelId) === desk)
          begin(true);
      };
      const threads = fromBack ? 'loads' : 'questions';
      const run = this.pool.start<JudgeMessage, { stopped: boolean }>(
        { ...task, fromBack },
        onMessage,
        threads,
      );
      // Nobody may be waiting for the second thread when it fails.
      if (fromBack) run.done.catch(this.onBug);
      desk.running.push(run);
    };
    begin(false);
    try {
      if ((await desk.running[0]!.done).stopped) return;
      // The second thread begins while the first one works. Where it had to wait, for files that are read, and has taken nothing, nothing is left for it.
      const second = desk.running[1];
      if (second && Atomics.load(task.taken, 2) > 0 && (await second.done).stopped) return;
      if (this.desks.get(modelId) !== desk) return;
      desk.done = true;
      desk.elapsedMs = Math.round(performance.now() - start);
      this.tell(modelId, desk);
      await this.makeRemedies(modelId, desk, onModel);
    } catch (error) {
      this.onBug(error);
    }
  }

  /** Ways out of the broken claims whose verdict stood: verdicts do not wait for them. */
  private async makeRemedies(
    modelId: number,
    desk: Desk,
    onModel: Omit<Extract<Task, { kind: 'remedies' }>, 'kind' | 'broken'>,
  ): Promise<void> {
    const broken = desk.listed.flatMap(({ id, basis }) => {
      const entry = desk.entries.get(id);
      return entry?.basis === basis && entry.judgement.verdict === 'broken' && entry.remedies.length === 0
        ? [[id, entry.judgement] as const]
        : [];
    });
    if (broken.length === 0) return;
    const made = await this.pool.run<{ claim: string; remedies: unknown }[]>({
      kind: 'remedies',
      ...onModel,
      broken: Object.fromEntries(broken),
    });
    if (this.desks.get(modelId) !== desk) return;
    for (const { claim, remedies } of made)
      desk.entries.set(claim, { ...desk.entries.get(claim)!, remedies: remedies as Remedy[] });
    this.tell(modelId, desk);
  }

  private take(modelId: number, desk: Desk, message: JudgeMessage): void {
    if (this.desks.get(modelId) !== desk) return;
    const { entries } = desk;
    if (message.kind === 'listed') {
      desk.listed = message.claims;
      // Ways out belong to the revision for which they were made.
      for (const [claim, entry] of entries)
        if (entry.remedies.length > 0) entries.set(claim, { ...entry, remedies: [] });
    } else {
      for (const v of message.verdicts)
        entries.set(v.claim, {
          basis: v.basis,
          judgement: v.judgement as Judgement,
          remedies: v.remedies as Remedy[],
        });
      // What is about the model alone is judged anew each time: there is nothing to keep.
      const kept = message.verdicts.filter((v) => !v.basis.startsWith('revision '));
      this.verdicts.save(
        modelId,
        kept.map((v) => ({ claim: v.claim, basis: v.basis, judgement: v.judgement as Judgement })),
      );
    }
    this.tell(modelId, desk);
  }

  private tell(modelId: number, desk: Desk): void {
    this.hub.send(modelId, {
      kind: 'claims',
      revision: desk.revision.id,
      done: desk.done,
      summary: summarise(this.presented(desk)),
    });
  }

  /** Claims of the head with the verdicts that stand; all others are unchecked. */
  state(modelId: number): ClaimsState {
    if (!this.desks.has(modelId)) this.refresh(modelId);
    const desk = this.desks.get(modelId)!;
    const claims = this.presented(desk);
    return {
      revision: desk.revision.id,
      done: desk.done,
      claims,
      summary: summarise(claims),
      elapsedMs: desk.elapsedMs,
    };
  }

  /** What is known of each claim of the head that has been judged. */
  known(modelId: number): Record<string, { basis: string; verdict: Verdict; against: number }> {
    const { claims } = this.state(modelId);
    const desk = this.desks.get(modelId)!;
    return Object.fromEntries(
      claims
        .filter((c) => c.verdict !== 'unchecked')
        .map((c) => [
          c.id,
          { basis: desk.entries.get(c.id)?.basis ?? '', verdict: c.verdict, against: c.evidence.against },
        ]),
    );
  }

  private presented(desk: Desk): JudgedClaim[] {
    const stands = (claim: ListedClaim) => {
      const entry = desk.entries.get(claim.id);
      return entry !== undefined && entry.basis === claim.basis ? entry : undefined;
    };
    const judged = desk.listed.map((claim) => ({
      claim,
      judgement: stands(claim)?.judgement ?? BEING_JUDGED,
    }));
    return present(judged, desk.revision.model, this.today(), (claim) => stands(claim)?.remedies ?? []);
  }

  /** The day by which waivers end, in ISO 8601. */
  today(): string {
    return new Date().toISOString().slice(0, 10);
  }
}
