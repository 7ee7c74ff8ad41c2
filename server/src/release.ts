/** What the command line needs to release to a target. */
export type { ReleaseOrder } from './release/contents.ts';
export type { Proof, ReleaseOutcome, ReleasePlan } from './release/plan.ts';
export { planText, ProofError, TargetError } from './release/plan.ts';
export { planFolder, releaseToFolder } from './release/toFolder.ts';
export type { PostgresqlTarget } from './release/postgresqlWork.ts';
export { planPostgresql, releaseToPostgresql } from './release/toPostgresql.ts';
export { planSqlite, releaseToSqlite } from './release/toSqlite.ts';
export { wayTo } from './release/way.ts';
