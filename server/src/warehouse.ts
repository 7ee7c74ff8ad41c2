/** What the command line needs to ask a model on a database. */
export { PostgresqlReader } from './databases/postgresql.ts';
export { DatabaseError } from './databases/reader.ts';
export { ModelOnWarehouse } from './warehouse/warehouse.ts';
