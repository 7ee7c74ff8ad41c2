/** Why a claim, or a question, has no answer: see "No false holds" of the claims' page. */
export type ReasonCode =
  | 'not-loaded'
  | 'passed-through'
  // Of two databases.
  | 'elsewhere'
  | 'empty'
  | 'rests-on'
  | 'failed'
  | 'limit'
  // A sample was looked at, and all rows are being counted.
  | 'sampled'
  | 'cancelled';

export interface Reason {
  readonly code: ReasonCode;
  /** The claim that is broken, of `rests-on`. */
  readonly claim?: string;
}

/** A table or a formula that cannot be had, said to the person who asked. */
export class DataError extends Error {
  constructor(
    message: string,
    readonly reason: Reason = { code: 'failed' },
  ) {
    super(message);
  }
}
