import type { ConnectionSource } from '../model/index.ts';
import type { SourceKind } from './kind.ts';

/** A table of a database, by a connection that the workspace keeps. */
export const connection: SourceKind<ConnectionSource> = {
  field: 'connection',
  place: ({ connection: name, schema, table }) => `${name}: ${schema ? `${schema}.` : ''}${table}`,
  takesSteps: true,
};
