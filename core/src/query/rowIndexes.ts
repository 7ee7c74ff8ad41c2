import type { Codes, Column, RowLists, TableData } from '../columns/index.ts';
import { rowLists } from '../columns/index.ts';
import type { Relationship } from '../model/index.ts';
import { cardinalityOf } from '../model/index.ts';
import type { Path, RowIndex } from '../relate/index.ts';
import { chained, keyNumbers, meetsSeveral, rowByCode, rowIndex } from '../relate/index.ts';

/** The key columns of one end of a relationship. */
export interface KeyColumns {
  readonly table: string;
  readonly columns: readonly string[];
}

/** The way along a path, over the rows of its start. */
export interface PathStart {
  /** Row references, or the codes of the column that begins the way. */
  readonly codes: Codes;
  /** The row reference of each code; without it the codes are row references. */
  readonly rowOf?: Uint32Array;
}

/** What row indexes are made of: columns by the model's names, and both ends of relationships as tables. */
interface IndexedRows {
  column(table: string, column: string): Column;
  ends(end: KeyColumns): TableData;
}

/**
 * Row indexes along relationships, made on demand and kept. Row references are row + 1, with 0 for no row.
 * `onPath` is told of each path that rows are looked up along, also where its index is known.
 */
export class RowIndexes {
  private readonly indexes = new Map<string, RowIndex>();
  /** Row references by code of the column that a path begins with. */
  private readonly byCode = new Map<string, Uint32Array>();
  private readonly entries = new Map<string, RowLists & { keyOf: Uint32Array }>();
  private readonly severalPartners = new Map<string, boolean>();

  constructor(
    private readonly rows: IndexedRows,
    private readonly onPath: (path: Path) => void,
  ) {}

  /**
   * Whether a reference of some row meets several rows: then which of them it looks up is no fact of the
   * data.
   */
  hasSeveralPartners(r: Relationship): boolean {
    const kind = cardinalityOf(r);
    if (kind === 'many-to-many' || kind === 'many-to-level') return false;
    const key = r.name.toLowerCase();
    let known = this.severalPartners.get(key);
    if (known === undefined) {
      known = meetsSeveral(
        r.from.columns.map((name) => this.rows.column(r.from.table, name)),
        r.to.columns.map((name) => this.rows.column(r.to.table, name)),
      );
      this.severalPartners.set(key, known);
    }
    return known;
  }

  /**
   * Row references from each row of the path's start to its end; undefined for the empty path (the row
   * itself).
   */
  pathIndex(path: Path): RowIndex | undefined {
    if (path.length === 0) return undefined;
    this.onPath(path);
    const key = path.map((r) => r.name.toLowerCase()).join('\n');
    let index = this.indexes.get(key);
    if (!index) {
      const last = path.at(-1)!;
      const hop =
        path.length === 1
          ? rowIndex(last, this.rows.ends(last.from), this.rows.ends(last.to))
          : this.pathIndex([last])!;
      index = path.length === 1 ? hop : chained(this.pathIndex(path.slice(0, -1))!, hop);
      this.indexes.set(key, index);
    }
    return index;
  }

  /**
   * The way along a path as one array over the rows of its start: row references, or the codes of the column
   * that begins the way, with the row reference of each code. Nothing is made per row where a column leads
   * there. Undefined for the empty path.
   */
  pathStart(path: Path): PathStart | undefined {
    if (path.length === 0) return undefined;
    this.onPath(path);
    const [first, ...rest] = path;
    if (first!.from.columns.length > 1) return { codes: this.pathIndex(path)! };
    const key = path.map((r) => r.name.toLowerCase()).join('\n');
    const column = this.rows.column(first!.from.table, first!.from.columns[0]!);
    let rowOf = this.byCode.get(key);
    if (!rowOf) {
      rowOf = rowByCode(column, this.rows.column(first!.to.table, first!.to.columns[0]!));
      const onward = this.pathIndex(rest);
      if (onward) rowOf = chained(rowOf, onward);
      this.byCode.set(key, rowOf);
    }
    return { codes: column.codes, rowOf };
  }

  /**
   * For a relationship that rows come in by (a bridge's reference, or a many-to-many): the entering table's
   * rows by key, and the key of each row of the table that they come to. Key 0 is null and has no rows.
   */
  entryLists(entering: KeyColumns, met: KeyColumns): RowLists & { keyOf: Uint32Array } {
    const key = JSON.stringify([entering, met]).toLowerCase();
    let lists = this.entries.get(key);
    if (!lists) {
      const numbers = keyNumbers(
        entering.columns.map((c) => this.rows.column(entering.table, c)),
        met.columns.map((c) => this.rows.column(met.table, c)),
      );
      lists = { ...rowLists(numbers.from, numbers.size), keyOf: numbers.to };
      this.entries.set(key, lists);
    }
    return lists;
  }
}
