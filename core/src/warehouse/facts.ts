import type { Model, Relationship, Table } from '../model/index.ts';
import { cardinalityOf, sameName } from '../model/index.ts';
import type { DataOracle } from '../formula/index.ts';
import { FormulaChecker } from '../formula/index.ts';
import type { Json } from '../query/index.ts';
import { DataError } from '../query/index.ts';
import type { CompiledRows, SqlDialect, SqlSetting } from '../sql/index.ts';
import { counting, countWhere, RowsStatement } from '../sql/index.ts';

/** A database that holds the rows of a model's tables. */
export interface Warehouse {
  readonly dialect: SqlDialect;
  /** Where the rows of tables lie, and how values are told that do not fit: see SqlSetting. */
  readonly relations: Pick<SqlSetting, 'rowsOf' | 'misfitOf' | 'onColumn'>;
  /** Runs a statement; cells are as answers have them. Throws DataError for what the database refuses. */
  ask(statement: CompiledRows): Promise<readonly (readonly Json[])[]>;
  /**
   * Of a large table a relation of rows that are drawn at random; undefined for others, and for those that
   * cannot be drawn from.
   */
  readonly drawnRowsOf?: (table: Table) => string | undefined;
  /** Whether a constraint of the database keeps columns unique; by default nothing is known of any. */
  readonly isEnforced?: (table: string, columns: readonly string[]) => boolean;
}

const nameOf = (table: string, columns: readonly string[]): string =>
  JSON.stringify([table, [...columns].sort()]).toLowerCase();

/**
 * What statements on a warehouse rest on: which columns are unique, and which have one value within each
 * member of a level that a fact refers to. A model only claims them.
 */
export interface WarehouseFacts {
  /** Names of columns that are unique together: see `nameOf`. */
  readonly unique: ReadonlySet<string>;
  /** By the columns of a level, the columns that have one value within each member, in lower case. */
  readonly determined: ReadonlyMap<string, ReadonlySet<string>>;
}

/** Counts what statements rest on, but for what a constraint of the database enforces. */
export async function learnFacts(model: Model, warehouse: Warehouse, today: number): Promise<WarehouseFacts> {
  // A lookup whose partner may be one of several takes the first, as long as that is not known.
  const unsure: SqlSetting = {
    model,
    checker: new FormulaChecker(model),
    today,
    isUnique: () => false,
    ...warehouse.relations,
  };
  const ends = new Map<string, Relationship['to']>();
  for (const r of model.relationships ?? [])
    if (cardinalityOf(r) !== 'many-to-many') ends.set(nameOf(r.to.table, r.to.columns), r.to);
  const unique = new Set<string>();
  for (const [name, end] of ends)
    if (
      warehouse.isEnforced?.(end.table, end.columns) ||
      (await isUnique(unsure, warehouse, end.table, end.columns))
    )
      unique.add(name);
  return { unique, determined: await levelsOf(model, unsure, warehouse) };
}

/** What questions and claims are compiled with. */
export function warehouseSetting(
  model: Model,
  { relations }: Pick<Warehouse, 'relations'>,
  today: number,
  { unique, determined }: WarehouseFacts,
): SqlSetting {
  const oracle: DataOracle = {
    determines: (table, level, column) =>
      determined.get(nameOf(table, level))?.has(column.toLowerCase()) ?? false,
  };
  return {
    model,
    checker: new FormulaChecker(model, oracle),
    today,
    isUnique: (table, columns) => unique.has(nameOf(table.name, columns)),
    ...relations,
  };
}

const hasColumns = ({ checker }: SqlSetting, table: string, columns: readonly string[]): boolean =>
  checker.names.table(table) !== undefined &&
  columns.every((name) => checker.names.column(table, name) !== undefined);

/** Whether no combination of values stands on two rows; false, too, where that cannot be had. */
async function isUnique(
  setting: SqlSetting,
  { dialect, ask }: Warehouse,
  table: string,
  columns: readonly string[],
): Promise<boolean> {
  if (!hasColumns(setting, table, columns)) return false;
  return orElse(false, async () => {
    const rows = new RowsStatement(setting, dialect, table);
    const keys = columns.map((name, i) => ({ ...rows.own(name), name: `k${i}` }));
    const filled = keys.map((k) => `${k.sql} is not null`).join(' and ');
    const grouped = keys.map((_, i) => i + 1).join(', ');
    const found = rows.rows(keys, `where ${filled}\ngroup by ${grouped}\nhaving count(*) > 1\nlimit 1`);
    return (await ask(rows.compiled(found, keys))).length === 0;
  });
}

/** A table of which a statement cannot be had has claims that say so; here it is no more than unknown. */
async function orElse<T>(otherwise: T, act: () => Promise<T>): Promise<T> {
  try {
    return await act();
  } catch (error) {
    if (error instanceof DataError) return otherwise;
    throw error;
  }
}

/** Which columns of a table have one value within each member of a level to which a relationship refers. */
async function levelsOf(
  model: Model,
  setting: SqlSetting,
  warehouse: Warehouse,
): Promise<Map<string, ReadonlySet<string>>> {
  const known = new Map<string, ReadonlySet<string>>();
  for (const r of model.relationships ?? []) {
    if (cardinalityOf(r) !== 'many-to-level' || !hasColumns(setting, r.to.table, r.to.columns)) continue;
    const table = setting.checker.names.table(r.to.table)!;
    const determined = await orElse(new Set<string>(), () =>
      determinedColumns(setting, warehouse, table, r.to.columns),
    );
    known.set(nameOf(table.name, r.to.columns), determined);
  }
  return known;
}

/** Within a level no value stands beside another, or beside none; rows without the level are left apart. */
async function determinedColumns(
  setting: SqlSetting,
  { dialect, ask }: Warehouse,
  table: Table,
  level: readonly string[],
): Promise<ReadonlySet<string>> {
  const found = new Set<string>();
  const others = table.columns.filter((c) => !level.some((name) => sameName(name, c.name)));
  const rows = new RowsStatement(setting, dialect, table.name);
  const keys = level.map((name, i) => ({ ...rows.own(name), name: `k${i}` }));
  const values = others.map((c) => rows.own(c.name).sql);
  const perMember = [
    ...keys,
    ...values.map((sql, i) =>
      counting(
        `n${i}`,
        `count(distinct ${sql}) + case when ${countWhere(`${sql} is null`)} > 0 then 1 else 0 end`,
      ),
    ),
  ];
  const filled = keys.map((k) => `${k.sql} is not null`).join(' and ');
  const members = rows.rows(perMember, `where ${filled}\ngroup by ${keys.map((_, i) => i + 1).join(', ')}`);
  const columns = others.map((_, i) => counting(`m${i}`, `max(n${i})`));
  const listed = columns.map((c) => `${c.sql} as ${c.name}`).join(', ');
  const [row] = await ask(rows.compiled(`select ${listed} from (${members}) m`, columns));
  others.forEach((c, i) => {
    if (Number(row![i] ?? 0) <= 1) found.add(c.name.toLowerCase());
  });
  return found;
}
