export * from './dataError.ts';
export type { ScanPlan, ScanResult } from './compiled/plan.ts';
export type { ResultOf, ScanWork } from './compiled/runCompiled.ts';
export { workOn } from './compiled/runCompiled.ts';
export type { ScanHelper } from './compiled/scanParts.ts';
export { helpScansWith, scanIsNear } from './compiled/scanParts.ts';
export {
  ColumnWanted,
  endsWhen,
  Interrupted,
  isInterrupted,
  lookForInterruption,
  ROWS_BETWEEN_LOOKS,
} from './interruption.ts';
export * from './modelData.ts';
export type { Executor } from './modelRows.ts';
export * from './axes.ts';
export * from './asked.ts';
export * from './answer.ts';
export { explainQuery } from './explain.ts';
export type { Explanation } from './explain.ts';
export type { ScanStage } from './scanStages.ts';
export type { TracedCondition, TracedDays, TracedPart, TracedStep, TracedTable } from './trace.ts';
export * from './unreached.ts';
export { usualQuestions } from './usualQuestions.ts';
export { aggregateGroups } from './aggregates.ts';
export { Tuples } from './tuples.ts';
export { compileRow, rowValues } from './rowFormula.ts';
export { Evaluator } from './evaluate.ts';
export type { EvaluationListener } from './evaluate.ts';
export type { Cells } from './cells.ts';
export type { Additivity } from './additivity.ts';
export { additivityOf, readAdditivity } from './additivity.ts';
export { answerDifference } from './difference.ts';
export type { GoalColumn, GoalStates } from './goals.ts';
export { goalColumns, stateOfNumber } from './goals.ts';
export type { Context } from './context.ts';
export * from './browse.ts';
export {
  dropped,
  entered,
  filterAsCondition,
  isOnCalendar,
  measureContext,
  restricted,
  withCondition,
} from './context.ts';
export type { ConditionShape, ContextOf, FormulaCondition, MembersCondition, StepOf } from './context.ts';
export { firstReference, FOUND, NO_REFERENCE, noMemberOf, UNMATCHED } from './noMember.ts';
export type { Scan } from './scan.ts';
export { columnReaches, scan, unreachedColumns, unreachedOf } from './scan.ts';
export * from './onTheSpot.ts';
export { numberedValues } from './derivedColumn.ts';
