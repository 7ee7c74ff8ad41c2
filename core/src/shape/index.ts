export * from './run.ts';
export type { StepKind, StepSetting } from './step.ts';
export { STEP_KINDS } from './steps/index.ts';
