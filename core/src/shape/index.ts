export * from './run.ts';
export type { StepKind, StepSetting } from './step.ts';
export { STEP_KINDS } from './steps/index.ts';
export * from './trace.ts';
export type { JoinFinding, JoinKey } from './joinFindings.ts';
export { JOIN_KINDS, type JoinKind } from './meeting.ts';
export * from './joinRemedies.ts';
export * from './declare.ts';
export * from './lineage.ts';
