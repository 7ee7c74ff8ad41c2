export type { RowSetting, SourceKind } from './kind.ts';
export * from './kinds.ts';
export * from './lineage.ts';
export * from './rows.ts';
export * from './readSpec.ts';
