import type { Judgement, JudgedClaim, Remedy } from '@crease/core/claims';
import { present, summarise } from '@crease/core/claims';
import type { Claim } from '@crease/core/claims';
import type { ClaimsState } from '@crease/contract';
import { writeModel } from '@crease/core/model';
import type { Hub } from '../live/hub.ts';
import type { Models, Revision, Tables, Verdicts } from '../store/index.ts';
import type { Running, WorkPool } from './pool.ts';
import type { JudgeMessage, ListedClaim } from './tasks.ts';

interface Entry {
  basis: string;
  judgement: Judgement;
  remedies: readonly Remedy[];
}

interface Desk {
  revision: Revision;
  listed: readonly ListedClaim[];
  entries: Map<string, Entry>;
  done: boolean;
  running?: Running<unknown>;
  elapsedMs: number;
}

/**
 * Keeps the verdicts of each model up to date: after a change it lists the claims anew, keeps the verdicts whose basis
 * stands, and has the others judged in a worker. A newer change stops the run of an older one.
 */
export class ClaimsDesk {
  private readonly desks = new Map<number, Desk>();

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
    before?.running?.stop();
    const entries = before?.entries ?? new Map(this.verdicts.all(modelId).map((v) => [v.claim, this.stored(v)]));
    const desk: Desk = { revision, listed: before?.listed.map((c) => ({ ...c, stands: false })) ?? [], entries, done: false, elapsedMs: 0 };
    this.desks.set(modelId, desk);
    void this.judge(modelId, desk);
  }

  /** Verdicts as they are stored have no remedies: those are made again, so they do not stand. */
  private stored(v: { basis: string; judgement: Judgement }): Entry {
    return { basis: v.judgement.verdict === 'broken' ? '' : v.basis, judgement: v.judgement, remedies: [] };
  }

  private async judge(modelId: number, desk: Desk): Promise<void> {
    const start = performance.now();
    const versions = this.tables.versions(modelId);
    const known = Object.fromEntries([...desk.entries].map(([claim, entry]) => [claim, entry.basis]));
    const task = {
      kind: 'judge' as const,
      workspace: this.workspace,
      modelId,
      revision: desk.revision.id,
      document: writeModel(desk.revision.model),
      versions,
      known,
      today: this.today(),
    };
    desk.running = this.pool.start<JudgeMessage, { stopped: boolean }>(task, (message) => this.take(modelId, desk, message));
    try {
      const { stopped } = (await desk.running.done) as { stopped: boolean };
      if (stopped || this.desks.get(modelId) !== desk) return;
      desk.done = true;
      desk.elapsedMs = Math.round(performance.now() - start);
      this.tell(modelId, desk);
    } catch (error) {
      this.onBug(error);
    }
  }

  private take(modelId: number, desk: Desk, message: JudgeMessage): void {
    if (this.desks.get(modelId) !== desk) return;
    if (message.kind === 'listed') desk.listed = message.claims;
    else {
      for (const v of message.verdicts)
        desk.entries.set(v.claim, { basis: v.basis, judgement: v.judgement as Judgement, remedies: v.remedies as Remedy[] });
      this.verdicts.save(
        modelId,
        message.verdicts.map((v) => ({ claim: v.claim, basis: v.basis, judgement: v.judgement as Judgement })),
      );
    }
    this.tell(modelId, desk);
  }

  private tell(modelId: number, desk: Desk): void {
    this.hub.send(modelId, { kind: 'claims', revision: desk.revision.id, done: desk.done, summary: summarise(this.presented(desk)) });
  }

  /** Claims of the head with the verdicts that stand; all others are unchecked. */
  state(modelId: number): ClaimsState {
    if (!this.desks.has(modelId)) this.refresh(modelId);
    const desk = this.desks.get(modelId)!;
    const claims = this.presented(desk);
    return { revision: desk.revision.id, done: desk.done, claims, summary: summarise(claims), elapsedMs: desk.elapsedMs };
  }

  private presented(desk: Desk): JudgedClaim[] {
    return desk.listed.map((claim): JudgedClaim => {
      const entry = desk.entries.get(claim.id);
      const stands = entry !== undefined && entry.basis === claim.basis;
      const judgement: Judgement = stands
        ? entry.judgement
        : { verdict: 'unchecked', evidence: { checked: 0, against: 0, notes: ['being judged'] } };
      const judged = present(claim as unknown as Claim, judgement, desk.revision.model, this.today());
      return { ...judged, remedies: judged.verdict === 'broken' && stands ? entry.remedies : [] };
    });
  }

  private today(): string {
    return new Date().toISOString().slice(0, 10);
  }
}
