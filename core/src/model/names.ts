import type {
  Hierarchy,
  KnownAnswer,
  Measure,
  Model,
  ModelColumn,
  Query,
  Relationship,
  Table,
} from './schema.ts';

const fold = (name: string): string => name.toLowerCase();

/** A column with the table that it stands in. */
export interface ColumnRef {
  readonly table: Table;
  readonly column: ModelColumn;
}

/**
 * Look-ups by name without regard to case over one model; made once per revision. Of two things with one name
 * the first is found.
 */
export class ModelNames {
  private readonly tables = new Map<string, Table>();
  private readonly columns = new Map<Table, Map<string, ModelColumn>>();
  private readonly relationships = new Map<string, Relationship>();
  private readonly measures = new Map<string, Measure>();

  /**
   * `rowsOf` names, for a table that is but a role of another, the table whose rows it has (by its name in
   * lower case).
   */
  constructor(
    readonly model: Model,
    private readonly rowsOf: ReadonlyMap<string, string> = new Map(),
  ) {
    for (const table of model.tables) {
      if (!this.tables.has(fold(table.name))) this.tables.set(fold(table.name), table);
      const columns = new Map<string, ModelColumn>();
      for (const column of table.columns)
        if (!columns.has(fold(column.name))) columns.set(fold(column.name), column);
      this.columns.set(table, columns);
    }
    for (const r of model.relationships ?? [])
      if (!this.relationships.has(fold(r.name))) this.relationships.set(fold(r.name), r);
    for (const m of model.measures ?? [])
      if (!this.measures.has(fold(m.name))) this.measures.set(fold(m.name), m);
  }

  table(name: string): Table | undefined {
    return this.tables.get(fold(name));
  }

  /** Whether a table is but a role of another. */
  isRole(name: string): boolean {
    return this.rowsOf.has(fold(name));
  }

  /** The table whose rows a name stands for: that of the name, or for a role the one that plays it. */
  stored(name: string): Table | undefined {
    return this.table(this.rowsOf.get(fold(name)) ?? name);
  }

  column(table: Table | string, name: string): ModelColumn | undefined {
    const found = typeof table === 'string' ? this.table(table) : table;
    return found && this.columns.get(found)?.get(fold(name));
  }

  relationship(name: string): Relationship | undefined {
    return this.relationships.get(fold(name));
  }

  measure(name: string): Measure | undefined {
    return this.measures.get(fold(name));
  }

  /** A hierarchy written `table.name`. */
  hierarchy(path: string): Hierarchy | undefined {
    const all = this.model.hierarchies ?? [];
    return (
      all.find(
        (h) =>
          fold(`${h.table}.${h.name}`) === fold(path) ||
          `"${fold(h.table)}"."${fold(h.name)}"` === fold(path),
      ) ?? all.find((h) => splitPath(path) && samePath(h, splitPath(path)!))
    );
  }

  /**
   * A column written `table.column`, plainly or with quotes as in a formula; undefined where there is none.
   */
  path(path: string): ColumnRef | undefined {
    const quoted = splitPath(path);
    if (quoted) {
      const found = this.reference(quoted[0], quoted[1]);
      if (found) return found;
    }
    // Plain names may hold blanks; where a name holds dots, any of them may be the one between table and
    // column.
    for (let dot = path.indexOf('.'); dot > 0; dot = path.indexOf('.', dot + 1)) {
      const found = this.reference(path.slice(0, dot).trim(), path.slice(dot + 1).trim());
      if (found) return found;
    }
    return undefined;
  }

  private reference(tableName: string, columnName: string): ColumnRef | undefined {
    const table = this.table(tableName);
    const column = table && this.column(table, columnName);
    return table && column ? { table, column } : undefined;
  }
}

const samePath = (h: Hierarchy, [table, name]: readonly [string, string]): boolean =>
  fold(h.table) === fold(table) && fold(h.name) === fold(name);

const PATH = /^\s*(?:"((?:[^"]|"")+)"|([^".]+?))\s*\.\s*(?:"((?:[^"]|"")+)"|([^".]+?))\s*$/;

/** Splits `table.column` with optional double quotes around each part. */
export function splitPath(path: string): readonly [string, string] | undefined {
  const match = PATH.exec(path);
  if (!match) return undefined;
  const part = (quoted: string | undefined, plain: string | undefined) =>
    quoted?.replaceAll('""', '"') ?? plain!;
  return [part(match[1], match[2]), part(match[3], match[4])];
}

export const sameName = (a: string, b: string): boolean => fold(a) === fold(b);

/** The cardinality that holds where none is written. */
export const cardinalityOf = (relationship: Relationship): NonNullable<Relationship['cardinality']> =>
  relationship.cardinality ?? 'many-to-one';

export const isDefault = (relationship: Relationship): boolean => relationship.default !== false;

/** How an end is written in messages: `loan.branch_id`, or `loan.(a, b)`. */
export const endText = (end: Relationship['from']): string =>
  end.columns.length === 1 ? `${end.table}.${end.columns[0]}` : `${end.table}.(${end.columns.join(', ')})`;

/**
 * A name like the wanted one that none of the others has, without regard to case: the wanted one, or the
 * first of `wanted_2`, `wanted_3` that is free.
 */
/** The question of a known answer: its own, or that of the trial that it names. */
export const questionOf = (model: Model, { query, trial }: KnownAnswer): Query | undefined =>
  query ?? (model.trials ?? []).find((t) => trial !== undefined && sameName(t.name, trial))?.query;

export function freeName(wanted: string, others: Iterable<{ readonly name: string }>): string {
  const taken = new Set([...others].map((o) => fold(o.name)));
  for (let n = 1; ; n++) {
    const name = n === 1 ? wanted : `${wanted}_${n}`;
    if (!taken.has(fold(name))) return name;
  }
}
