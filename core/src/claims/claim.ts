import type { Edit } from '../edit/index.ts';
import type { ClaimRef, Model } from '../model/index.ts';
import type { ColumnName, FormulaChecker } from '../formula/index.ts';
import type { ModelData, Reason } from '../query/index.ts';
import type { Count, Counted } from './counts/index.ts';
import type { Judging, JudgingFacts } from './judging.ts';
import { askCounts, judgeOnColumns } from './judging.ts';

import type { Evidence, Judgement, Weight } from './evidence.ts';

export type Verdict = 'holds' | 'broken' | 'unchecked' | 'waived';
export * from './evidence.ts';

/** What a claim is about, so that screens can show it there. Names as the model writes them. */
export interface About {
  readonly table?: string;
  readonly column?: string;
  readonly relationship?: string;
  readonly hierarchy?: string;
  readonly measure?: string;
  readonly perspective?: string;
}

/** One statement that a model makes, not judged yet. */
export interface Claim {
  readonly id: string;
  readonly kind: string;
  readonly subject: string;
  /** What the subject is made of, as data: what waivers name, and what renames follow. */
  readonly ref: ClaimRef;
  readonly says: string;
  readonly weight: Weight;
  readonly about: readonly About[];
  /**
   * Tables whose rows are counted; none where the claim is about the model alone, which is judged whenever it
   * is listed.
   */
  readonly tables: readonly string[];
  /** Columns whose values are read, with whatever they are derived from. */
  readonly columns: readonly ColumnName[];
  /**
   * Other parts of the model that the judgement rests on. A change in any of these three makes the claim
   * unchecked.
   */
  readonly parts: unknown;
  /** What is counted, where that is all that it takes to judge the claim. */
  readonly counts?: readonly Count[];
  /** What is the case where the claim is broken, with its numbers. */
  readonly found?: (evidence: Evidence) => string;
  /** The day as of which it is judged is part of what its verdict rests on. */
  readonly byDay?: boolean;
  /** It is right whatever partner a lookup finds: an answer is compared as it is. */
  readonly takesAnyPartner?: boolean;
  /** Missing for what is judged by looking at the model, or at encoded columns, alone. */
  readonly judging?: (facts: JudgingFacts) => Judging;
  judge(data: ModelData): Judgement;
  /**
   * Ways out of a breach. With rows at hand they are tried on them; without, those that are likely are
   * offered.
   */
  remedies?(judgement: Judgement, data?: ModelData): readonly Remedy[];
}

/** A model edit that mends a broken claim, or makes its breach harmless. It never changes source data. */
export interface Remedy {
  readonly id: string;
  readonly title: string;
  /** What it does, before it is applied. */
  readonly effect: string;
  readonly edit: Edit;
}

/** What kinds look at to say which claims a model makes. */
export interface ClaimContext {
  readonly model: Model;
  readonly checker: FormulaChecker;
}

/** A kind of claim: one file each, listed in `kinds/index.ts`. */
export interface ClaimKind {
  readonly kind: string;
  readonly weight: Weight;
  /** What its subject is, as the documentation writes it. */
  readonly subject: string;
  /** When it is broken: one sentence for the documentation. */
  readonly documentation: string;
  /** A claim of the kind as a model of the library consortium makes it, and how it would be broken. */
  readonly example: string;
  list(context: ClaimContext): Claim[];
}

export const holds = (checked: number): Judgement => ({
  verdict: 'holds',
  evidence: { checked, against: 0 },
});

/** Broken where something speaks against it. */
export const judged = ({ tally: _, ...evidence }: Counted): Judgement => ({
  verdict: evidence.against > 0 ? 'broken' : 'holds',
  evidence,
});

export const unchecked = (note: string, reason: Reason): Judgement => ({
  verdict: 'unchecked',
  evidence: { checked: 0, against: 0, notes: [note], reason },
});

/** A claim that cannot be judged while another one is broken. */
export const restsOn = (claim: string): Judgement =>
  unchecked(`cannot be judged while ${claim} is broken`, { code: 'rests-on', claim });

type Given = Pick<Claim, 'about'> & Partial<Omit<Claim, 'ref'>> & { ref: Omit<ClaimRef, 'kind'> };

/** Makes claims of one kind: it says what it counts, or how that is judged, or it judges columns itself. */
export function claimOf(kind: ClaimKind, subject: string, says: string, rest: Given): Claim {
  const { counts } = rest;
  const judging: Claim['judging'] =
    rest.judging ??
    (counts &&
      function* () {
        return judged(yield* askCounts(counts));
      });
  return {
    tables: [],
    columns: [],
    parts: null,
    id: `${kind.kind}:${subject}`,
    kind: kind.kind,
    subject,
    says,
    weight: kind.weight,
    judge: (data) => {
      if (!judging) throw new TypeError(`${kind.kind}:${subject} neither counts nor judges`);
      return judgeOnColumns(judging(data), data);
    },
    ...rest,
    ...(judging ? { judging } : {}),
    ref: { kind: kind.kind, ...rest.ref },
  };
}
