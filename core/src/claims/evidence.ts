import type { Reason } from '../query/index.ts';

export type Cell = null | boolean | number | string;

/**
 * One offending value, or combination of values, with how many rows it stands for and up to 20 lines of its
 * source file where there are some.
 */
export interface SampleRow {
  readonly values: Readonly<Record<string, Cell>>;
  readonly rows: number;
  readonly lines?: readonly number[];
}

/** What was counted to judge a claim: see "Rules" of the claims' page. */
export interface Evidence {
  readonly checked: number;
  readonly against: number;
  readonly distinct?: number;
  readonly sample?: readonly SampleRow[];
  /** What the counts do not say, in plain words. */
  readonly notes?: readonly string[];
  /** Why the claim could not be judged; missing while it is being judged. */
  readonly reason?: Reason;
}

/** The most offending values that a sample shows, and the most lines that are named of each. */
export const SAMPLE_SIZE = 20;
export const MOST_LINES = 20;

export type Weight = 'blocks' | 'warns';

export interface Judgement {
  readonly verdict: 'holds' | 'broken' | 'unchecked';
  readonly evidence: Evidence;
  /** Where it differs from the kind's: a gap in validity warns, an overlap blocks. */
  readonly weight?: Weight;
  /** What is the case where it is broken. */
  readonly found?: string;
  /** Broken by what shows whatever a broken key or an ambiguous lookup may mean. */
  readonly certain?: boolean;
}
