import type { Column, Misfits, TableData } from '@crease/core/columns';
import { columnsOfGroups, misfitsOf, tableOf } from '@crease/core/columns';
import type { MisfitText } from '@crease/core/columns';
import type { Table } from '@crease/core/model';
import { connectionOf, sameName } from '@crease/core/model';
import { ColumnWanted, DataError, Interrupted } from '@crease/core/query';
import type { DataType, Value } from '@crease/core/values';
import { numberText, parseType, TEXT, textReader } from '@crease/core/values';
import type { GroupedReader, Groups, TableAbout } from '../databases/reader.ts';

// Tables that are passed through from databases of which only groups are asked: ClickHouse before it knew
// common table expressions and windows, and SQLite, whose library would keep its thread. What a question
// needs of such a table are some of its columns: the values that rows have together there, and how many rows
// have them. Only these travel; here they are columns like any other.

/** More combinations of values than this do not travel. */
const MOST_GROUPS = 1_000_000;
/** Of so many rows the codes of a few columns are held for a moment. */
const MOST_ROWS = 200_000_000;

/** Some columns of a table, in the same order of rows. */
export interface BroughtRows {
  readonly rowCount: number;
  /** By name in lower case. */
  readonly columns: ReadonlyMap<string, Column>;
  readonly misfits: ReadonlyMap<string, Misfits>;
  /** How many groups travelled. */
  readonly groups: number;
  /** What they were brought as: by group what stands in columns there, and how many rows have it. */
  readonly as: Groups & { readonly columns: readonly string[] };
  /** Whole rows that have been brought since, by their number: values by column, in lower case. */
  readonly whole: Map<number, ReadonlyMap<string, Value>>;
}

/** Thrown where all that some rows hold is needed: whoever runs the work brings it and begins it anew. */
export class RowsWanted extends Interrupted {
  constructor(
    readonly table: string,
    readonly rows: readonly number[],
  ) {
    super();
  }
}

/** Rows that were there when their groups were made are not there any more. */
export class RowsChanged extends DataError {
  constructor(readonly table: string) {
    super(`the rows of ${table} have changed while they were asked: ask again`, { code: 'failed' });
  }
}

type ModelColumn = Table['columns'][number];

/** What a column of the model is called in its database, and how its texts are read. */
function readAs(table: Table, { columns }: TableAbout, { name, sourceName, type, pattern }: ModelColumn) {
  const source = sourceName ?? name;
  const found = columns.find((c) => c.name === source) ?? columns.find((c) => sameName(c.name, source));
  if (!found)
    throw new DataError(
      `the table of ${table.name} in ${connectionOf(table)!.connection} has no column ${source}`,
      { code: 'not-loaded' },
    );
  const own: DataType = parseType(type) ?? TEXT;
  const written = pattern ?? found.pattern;
  return {
    name,
    source: found.name,
    type: own,
    read: textReader(own, written === undefined ? {} : { pattern: written }),
  };
}

type ReadColumn = ReturnType<typeof readAs>;

/** Where a table of the model is in its database, and what is there. */
async function placed(reader: GroupedReader, table: Table) {
  const { schema, table: name } = connectionOf(table)!;
  const of = { schema, table: name };
  return { of, about: await reader.about(of) };
}

/** Columns of those names. Throws DataError for one that the database lacks. */
const columnsNamed = (table: Table, about: TableAbout, names: readonly string[]): ReadColumn[] =>
  names.map((name) => {
    const column = table.columns.find((c) => sameName(c.name, name))!;
    return readAs(table, about, column);
  });

const sourcesOf = (columns: readonly ReadColumn[]): string[] => columns.map((c) => c.source);

/**
 * Brings some columns of a table, by the groups of their values; of no columns the number of rows alone.
 * Throws DataError where there are too many groups or rows, or a column is not there, and DatabaseError.
 */
export async function bringGroups(
  reader: GroupedReader,
  table: Table,
  names: readonly string[],
  /** Groups of fewer rows are left out. */
  least = 1,
): Promise<BroughtRows> {
  const { of, about } = await placed(reader, table);
  const columns = columnsNamed(table, about, names);
  const sources = sourcesOf(columns);
  const found = await reader.groups(of, sources, MOST_GROUPS + 1, least);
  const rowCount = found.counts.reduce((sum, count) => sum + count, 0);
  if (found.counts.length > MOST_GROUPS)
    throw tooMany(
      table,
      `${names.join(', ')} ${names.length > 1 ? 'have together' : 'has'} more than ${numberText(MOST_GROUPS)} different values`,
    );
  if (columns.length > 0 && rowCount > MOST_ROWS)
    throw tooMany(table, `it has ${numberText(rowCount)} rows, more than ${numberText(MOST_ROWS)}`);
  const groups = inOrder(found);
  const as = { ...groups, columns: sources };
  const rest = { rowCount, as, whole: new Map<number, ReadonlyMap<string, Value>>() };
  return columns.length === 0
    ? { ...rest, columns: new Map(), misfits: new Map(), groups: 0 }
    : { ...rest, ...brought(groups, columns), groups: groups.counts.length };
}

/**
 * Groups in the order of their texts: whoever meets the first of several rows is to meet the same one again.
 * Databases need not order them, which takes some of them twenty times as long as to find them. Values that
 * are told apart there and read the same here (1 and '1') are one.
 */
function inOrder({ cells, counts }: Groups): Groups {
  const columns = (cells[0] ?? []).map((_, i) => ranks(cells.map((row) => row[i]!)));
  const order = Uint32Array.from(cells.keys()).sort((a, b) => {
    for (const rank of columns) if (rank[a] !== rank[b]) return rank[a]! - rank[b]!;
    return 0;
  });
  const sorted: { cells: (readonly (string | null)[])[]; counts: number[] } = { cells: [], counts: [] };
  let before = -1;
  for (const group of order) {
    if (before >= 0 && columns.every((rank) => rank[group] === rank[before])) {
      sorted.counts[sorted.counts.length - 1]! += counts[group]!;
      continue;
    }
    sorted.cells.push(cells[group]!);
    sorted.counts.push(counts[group]!);
    before = group;
  }
  return sorted;
}

/** Where each text stands among the different ones: most columns have few, and numbers compare quickly. */
function ranks(texts: readonly (string | null)[]): Int32Array {
  const different = [...new Set(texts)].filter((text) => text !== null).sort();
  const rankOf = new Map<string | null, number>(different.map((text, rank) => [text, rank]));
  return Int32Array.from(texts, (text) => rankOf.get(text) ?? different.length);
}

/** Further into a group than this no row is looked for. */
const MOST_OF_GROUP = 10_000;
/** Statements that are asked at once. */
const AT_ONCE = 8;

/** How many rows have no value in each of some columns that are stored. */
export async function nullsIn(
  reader: GroupedReader,
  table: Table,
  names: readonly string[],
): Promise<number[]> {
  const { of, about } = await placed(reader, table);
  return reader.nulls(of, sourcesOf(columnsNamed(table, about, names)));
}

/** Brings all that some rows hold: of the rows of a group those that come first by their values. */
export async function bringWholeRows(
  reader: GroupedReader,
  table: Table,
  { as, whole }: BroughtRows,
  rows: readonly number[],
): Promise<void> {
  const { of, about } = await placed(reader, table);
  const columns = storedIn(table, about);
  const byGroup = new Map<number, { first: number; rows: number[] }>();
  let [group, first] = [0, 0];
  for (const row of [...rows].sort((a, b) => a - b)) {
    while (row >= first + as.counts[group]!) first += as.counts[group++]!;
    const known = byGroup.get(group) ?? { first, rows: [] };
    byGroup.set(group, known);
    known.rows.push(row);
  }
  const bring = async ([at, wanted]: [number, { first: number; rows: number[] }]) => {
    const most = wanted.rows.at(-1)! - wanted.first + 1;
    if (most > MOST_OF_GROUP)
      throw tooMany(
        table,
        `it is asked for more than the first ${numberText(MOST_OF_GROUP)} rows of a number`,
      );
    const where = as.columns.map((column, i) => ({ column, text: as.cells[at]![i]! }));
    const found = await reader.firstRows(of, sourcesOf(columns), most, where);
    for (const row of wanted.rows) {
      const cells = found[row - wanted.first];
      if (!cells) throw new RowsChanged(table.name);
      whole.set(row, new Map(columns.map((c, i) => [c.name.toLowerCase(), valueOf(c, cells[i] ?? null)])));
    }
  };
  const groups = [...byGroup];
  for (let at = 0; at < groups.length; at += AT_ONCE)
    await Promise.all(groups.slice(at, at + AT_ONCE).map(bring));
}

/** A value that does not fit is null, as in columns. */
const valueOf = ({ read }: ReadColumn, text: string | null): Value =>
  text === null ? null : (read(text) ?? null);

const tooMany = (table: Table, why: string): DataError =>
  new DataError(
    `the rows of ${table.name} are passed through from ${connectionOf(table)!.connection}, and this would bring too much of them: ${why}. Hold the table (load it), or ask for less of it`,
    { code: 'limit' },
  );

/** The first rows of a table, with all columns that its database has. */
export async function bringFirstRows(
  reader: GroupedReader,
  table: Table,
  most: number,
): Promise<BroughtRows> {
  const { of, about } = await placed(reader, table);
  const columns = storedIn(table, about);
  const sources = sourcesOf(columns);
  const cells = await reader.firstRows(of, sources, most);
  const as = { cells, counts: cells.map(() => 1), columns: sources };
  return { ...brought(as, columns), rowCount: cells.length, groups: cells.length, as, whole: new Map() };
}

/** The columns of a table that its database has. */
const storedIn = (table: Table, about: TableAbout) =>
  table.columns.flatMap((c) => {
    if (c.formula !== undefined) return [];
    const isThere = about.columns.some((own) => sameName(own.name, c.sourceName ?? c.name));
    return isThere ? [readAs(table, about, c)] : [];
  });

function brought(
  { cells, counts }: Groups,
  columns: readonly ReadColumn[],
): Pick<BroughtRows, 'columns' | 'misfits'> {
  const misfits = new Map<string, Misfits>();
  const read = columns.map(({ name, type, read: valueOf }, i) => {
    const texts = new Map<string, MisfitText>();
    // Each text once: groups have the same ones many times.
    const known = new Map<string | null, Value | undefined>([[null, null]]);
    const values = cells.map((row, group): Value => {
      const text = row[i] ?? null;
      if (!known.has(text)) known.set(text, valueOf(text!));
      const value = known.get(text);
      if (value !== undefined) return value;
      const before = texts.get(text!)?.rows ?? 0;
      texts.set(text!, { rows: before + counts[group]!, line: 0, lines: [] });
      return null;
    });
    const found = misfitsOf([texts]);
    if (found) misfits.set(name.toLowerCase(), found);
    return { name, type, values };
  });
  const made = columnsOfGroups(read, counts);
  return { columns: new Map(made.map((c) => [c.name.toLowerCase(), c])), misfits };
}

/**
 * The table with the columns that were brought. Whatever is asked of another one ends the work, to be begun
 * anew with it (ColumnWanted).
 */
export function rowsOfGroups(table: Table, rows: BroughtRows): TableData {
  const columns = table.columns
    .filter((c) => c.formula === undefined)
    .map(
      (c) =>
        rows.columns.get(c.name.toLowerCase()) ??
        new WantedColumn(table.name, c.name, parseType(c.type) ?? TEXT, rows),
    );
  // Whatever a text is, it is one.
  const texts = new Set(columns.flatMap((c) => (c.type.kind === 'text' ? [c.name.toLowerCase()] : [])));
  return tableOf(table.name, columns, {
    rowCount: rows.rowCount,
    misfits: new MisfitsByColumn(table.name, rows, texts),
  });
}

/** What did not fit of a column is known once the column is brought. */
class MisfitsByColumn extends Map<string, Misfits> {
  constructor(
    private readonly table: string,
    private readonly rows: BroughtRows,
    /** Columns of which nothing can fail to fit. */
    private readonly texts: ReadonlySet<string>,
  ) {
    super(rows.misfits);
  }

  override get(column: string): Misfits | undefined {
    if (!this.rows.columns.has(column) && !this.texts.has(column)) throw new ColumnWanted(this.table, column);
    return super.get(column);
  }
}

/** A column that has not been brought: it knows what the model says of it. */
class WantedColumn implements Column {
  readonly padded = 0;
  readonly held = undefined;

  constructor(
    private readonly table: string,
    readonly name: string,
    readonly type: DataType,
    private readonly rows: BroughtRows,
  ) {}

  get rowCount(): number {
    return this.rows.rowCount;
  }

  private wanted(): never {
    throw new ColumnWanted(this.table, this.name);
  }

  get domain(): never {
    return this.wanted();
  }
  get codes(): never {
    return this.wanted();
  }
  get counts(): never {
    return this.wanted();
  }
  get distinct(): never {
    return this.wanted();
  }
  get nulls(): never {
    return this.wanted();
  }
  get runs(): never {
    return this.wanted();
  }
  get dictionaryBytes(): never {
    return this.wanted();
  }
  get size(): never {
    return this.wanted();
  }
  encodedDomain(): never {
    return this.wanted();
  }
  valuesOf(): never {
    return this.wanted();
  }
  /** Of a few rows: they are brought as a whole, and groups stay as few as they are. */
  valuesAt(rows: readonly number[]): Value[] {
    const known = rows.map((row) => this.rows.whole.get(row));
    if (known.includes(undefined)) throw new RowsWanted(this.table, rows);
    return known.map((row) => row!.get(this.name.toLowerCase()) ?? null);
  }
}
