import type { Edit } from '../edit/index.ts';
import type { Model } from '../model/index.ts';
import type { ColumnName, FormulaChecker } from '../formula/index.ts';
import type { ModelData } from '../query/index.ts';

export type Verdict = 'holds' | 'broken' | 'unchecked' | 'waived';
export type Weight = 'blocks' | 'warns';
export type Cell = null | boolean | number | string;

/** One offending value, or combination of values, with how many rows it stands for and lines of its source file where there are some. */
export interface SampleRow {
  readonly rows: number;
  readonly lines?: readonly number[];
  readonly [column: string]: Cell | readonly number[] | undefined;
}

/** What was counted to judge a claim: see "Rules" of the claims' page. */
export interface Evidence {
  readonly checked: number;
  readonly against: number;
  readonly distinct?: number;
  readonly sample?: readonly SampleRow[];
  /** What the counts do not say, in plain words. */
  readonly notes?: readonly string[];
}

/** What a claim is about, so that screens can show it there. Names as the model writes them. */
export interface About {
  readonly table?: string;
  readonly column?: string;
  readonly relationship?: string;
  readonly hierarchy?: string;
  readonly measure?: string;
  readonly perspective?: string;
}

export interface Judgement {
  readonly verdict: 'holds' | 'broken' | 'unchecked';
  readonly evidence: Evidence;
  /** Where it differs from the kind's: a gap in validity warns, an overlap blocks. */
  readonly weight?: Weight;
}

/** One statement that a model makes, not judged yet. */
export interface Claim {
  readonly id: string;
  readonly kind: string;
  readonly subject: string;
  readonly says: string;
  readonly weight: Weight;
  readonly about: readonly About[];
  /** Tables whose rows are counted; none where the claim is about the model alone, which is judged whenever it is listed. */
  readonly tables: readonly string[];
  /** Columns whose values are read, with whatever they are derived from. */
  readonly columns: readonly ColumnName[];
  /** Other parts of the model that the judgement rests on. A change in any of these three makes the claim unchecked. */
  readonly parts: unknown;
  judge(data: ModelData): Judgement;
  /** Ways out of a breach. With rows at hand they are tried on them; without, those that are likely are offered. */
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
  /** One sentence for the documentation. */
  readonly documentation: string;
  list(context: ClaimContext): Claim[];
}

export const SAMPLE_SIZE = 20;

export const holds = (checked: number): Judgement => ({
  verdict: 'holds',
  evidence: { checked, against: 0 },
});

/** Broken where something speaks against it. */
export const judged = (evidence: Evidence): Judgement => ({
  verdict: evidence.against > 0 ? 'broken' : 'holds',
  evidence,
});

export const unchecked = (note: string): Judgement => ({
  verdict: 'unchecked',
  evidence: { checked: 0, against: 0, notes: [note] },
});

/** Makes claims of one kind. */
export const claimOf = (
  kind: ClaimKind,
  subject: string,
  says: string,
  rest: Pick<Claim, 'about' | 'judge'> & Partial<Claim>,
): Claim => ({
  tables: [],
  columns: [],
  parts: null,
  id: `${kind.kind}:${subject}`,
  kind: kind.kind,
  subject,
  says,
  weight: kind.weight,
  ...rest,
});
