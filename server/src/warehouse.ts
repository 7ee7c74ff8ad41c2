/** What the command line needs to ask a model on a database. */
export type { GroupedPlace } from './databases/grouped.ts';
export { groupedCatalog, isGroupedPlace } from './databases/grouped.ts';
export { DatabaseError } from './databases/reader.ts';
export { ModelOnGroups } from './grouped/modelOnGroups.ts';
export { withPassedTables } from './intake/declared.ts';
export { profileOn } from './warehouse/profileOn.ts';
export { claimOfProposal, onAllRows, proposalsOn } from './warehouse/proposals.ts';
export { engineAt, readerAt } from './warehouse/engines/index.ts';
export type { EnginePlace } from './warehouse/engines/index.ts';
export type { Place } from './warehouse/places.ts';
export { ModelOnWarehouse } from './warehouse/warehouse.ts';
