import type { Edit } from '../edit/index.ts';

export type ProposalKind =
  | 'type'
  | 'key'
  | 'column'
  | 'relationship'
  | 'hierarchy'
  | 'role'
  | 'use'
  | 'label'
  | 'calendar'
  | 'measure';

/** One part of a drafted star: an edit with what speaks for it. */
export interface Proposal {
  readonly id: string;
  readonly kind: ProposalKind;
  readonly table: string;
  readonly says: string;
  /** Facts counted, in plain words. */
  readonly evidence: readonly string[];
  readonly edit: Edit;
}

/** A share of rows in words, rounded down: what is nearly all is not all. */
export const percent = (part: number, whole: number): string =>
  `${whole === 0 ? 0 : Math.floor((1000 * part) / whole) / 10} %`;
