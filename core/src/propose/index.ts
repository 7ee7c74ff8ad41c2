export type { Proposal, ProposalKind } from './proposal.ts';
export * from './propose.ts';
export type { Decided, DecidedUse } from './decided.ts';
export * from './names.ts';
export * from './types.ts';
export * from './previewUse.ts';
export { REFERENCE_PATTERNS, type ReferencePattern } from './references.ts';
export * from './levels.ts';
export { makeMeasures, offeredMeasures, type OfferedMeasure } from './measures.ts';
