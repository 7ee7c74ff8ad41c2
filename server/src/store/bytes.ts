/**
 * Bytes of codes by column, in one pass over all segments: looked up column by column, SQLite reads their
 * pages in full, which takes ten times as long.
 */
export const CODES_OF_COLUMNS =
  'select column_id, sum(length(bytes)) as codes from segment group by column_id';

/** Bytes of codes and dictionaries by stored table. */
export const BYTES_OF_TABLES = `select c.table_id, sum(length(c.domain) + coalesce(s.codes, 0)) as bytes
  from stored_column c left join (${CODES_OF_COLUMNS}) s on s.column_id = c.id group by c.table_id`;
