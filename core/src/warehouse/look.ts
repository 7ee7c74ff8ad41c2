import type { Column, TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { ColumnName } from '../formula/index.ts';
import type { Json } from '../query/index.ts';
import { resolvePath } from '../query/index.ts';
import type { Match } from '../relate/index.ts';
import { MOST_ORPHANS } from '../relate/index.ts';
import type { NamedValue, SqlSetting } from '../sql/index.ts';
import { counting, countWhere, quoted, RowsStatement } from '../sql/index.ts';
import { DATE, formatType, fromJson, TEXT } from '../values/index.ts';
import type { DataType, Value } from '../values/index.ts';
import type { Warehouse } from './facts.ts';

// What screens show of rows before anybody asks a question: asked of the database, which sends counts, the
// most frequent values and a page of rows.

/** What the rows tell of a column. */
export interface ColumnFigures {
  readonly name: string;
  readonly rows: number;
  readonly nulls: number;
  readonly distinct: number;
  readonly least: Json;
  readonly greatest: Json;
  readonly frequent: readonly { readonly value: Json; readonly rows: number }[];
}

const MOST_FREQUENT = 8;
const MOST_LISTED = 200;

/** Statements on one table after the other. */
export class WarehouseLook {
  constructor(
    private readonly setting: SqlSetting,
    private readonly warehouse: Warehouse,
  ) {}

  private on(table: string): RowsStatement {
    return new RowsStatement(this.setting, this.warehouse.dialect, table);
  }

  private ask(rows: RowsStatement, select: string, columns: readonly { name: string; type: DataType }[]) {
    return this.warehouse.ask(rows.compiled(select, columns));
  }

  /** Fill, different values, extremes and the most frequent values of a column. */
  async figures(table: string, name: string): Promise<ColumnFigures> {
    const rows = this.on(table);
    const value = rows.own(name);
    const extreme = (end: 'min' | 'max') => rows.dialect.extreme(end, value.sql, value.type);
    const columns = [
      counting('n', 'count(*)'),
      counting('nulls', countWhere(`${value.sql} is null`)),
      counting('different', `count(distinct ${value.sql})`),
      { name: 'least', sql: extreme('min'), type: value.type },
      { name: 'greatest', sql: extreme('max'), type: value.type },
    ];
    const [found] = await this.ask(rows, rows.rows(columns), columns);
    const [count, nulls, distinct, least = null, greatest = null] = found!;
    return {
      name,
      rows: Number(count),
      nulls: Number(nulls),
      distinct: Number(distinct),
      least,
      greatest,
      frequent: await this.frequent(table, name),
    };
  }

  private async frequent(table: string, name: string): Promise<ColumnFigures['frequent']> {
    const rows = this.on(table);
    const value = { ...rows.own(name), name: 'v' };
    const columns = [value, counting('n', 'count(*)')];
    const tail = `where ${value.sql} is not null\ngroup by 1\norder by 2 desc, 1\nlimit ${MOST_FREQUENT}`;
    const found = await this.ask(rows, rows.rows(columns, tail), columns);
    return found.map(([v, n]) => ({ value: v ?? null, rows: Number(n) }));
  }

  /** A page of rows, in the order in which the table has them, and how many there are in all. */
  async page(
    table: string,
    names: readonly string[],
    offset: number,
    count: number,
  ): Promise<{ rows: Json[][]; total: number }> {
    const counted = this.on(table);
    const number = [counting('n', 'count(*)')];
    const [total] = await this.ask(counted, counted.rows(number), number);
    const rows = this.on(table);
    const columns = names.map((name): NamedValue => ({ name, ...rows.own(name) }));
    const found =
      columns.length === 0
        ? []
        : await this.ask(rows, rows.rows(columns, `limit ${count} offset ${offset}`), columns);
    return { rows: found.map((row) => [...row]), total: Number(total![0]) };
  }

  /** Values of a column that contain a text, in their order, with how many rows have each. */
  async values(path: string, search: string) {
    const { table, column } = resolvePath(this.setting, path);
    const rows = this.on(table);
    const value = { ...rows.own(column), name: 'v' };
    const text = rows.dialect.convert(value, TEXT);
    const holds =
      search === ''
        ? `${value.sql} is not null`
        : `${rows.dialect.apply(
            'position',
            [
              { sql: rows.value(search.toLowerCase(), TEXT), type: TEXT },
              { sql: rows.dialect.apply('lower', [{ sql: text, type: TEXT }], TEXT), type: TEXT },
            ],
            TEXT,
          )} > 0`;
    const columns = [value, counting('n', 'count(*)')];
    const order = rows.dialect.ordered('1', value.type) === '1' ? '1' : rows.dialect.ordered('v', value.type);
    const select = `select v, n from (${rows.rows(columns, `where ${holds}\ngroup by 1`)}) f order by ${order} limit ${MOST_LISTED}`;
    const found = await this.ask(rows, select, columns);
    return {
      type: formatType(value.type),
      values: found.flatMap(([v, n]) =>
        v === null || v === undefined ? [] : [{ value: v, rows: Number(n) }],
      ),
      distinct: await this.distinct({ table, column }),
    };
  }

  private async distinct({ table, column }: ColumnName): Promise<number> {
    const rows = this.on(table);
    const columns = [counting('n', `count(distinct ${rows.own(column).sql})`)];
    const [found] = await this.ask(rows, rows.rows(columns), columns);
    return Number(found![0]);
  }

  /** How columns of two tables fit each other, on all rows of both; of moments beside days, their days. */
  async match(
    from: { readonly table: string; readonly columns: readonly string[] },
    to: { readonly table: string; readonly columns: readonly string[] },
  ): Promise<Match> {
    const rows = this.on(from.table);
    const theirs = rows.valuesOf(to.table, to.columns);
    const own = from.columns.map((name, i): NamedValue => {
      const value = rows.own(name);
      const isMoment = value.type.kind === 'timestamp' && theirs.types[i]?.kind === 'date';
      return isMoment
        ? { name: `k${i}`, sql: rows.dialect.convert(value, DATE), type: DATE }
        : { name: `k${i}`, ...value };
    });
    const keys = own.map((k) => k.name).join(', ');
    const whole = (names: readonly string[]) => names.map((name) => `${name} is not null`).join(' and ');
    const grouped = rows.keptCte(
      'mine',
      rows.rows([...own, counting('n', 'count(*)')], `group by ${own.map((_, i) => i + 1).join(', ')}`),
    );
    const v = theirs.types.map((_, i) => `v${i}`);
    const others = rows.keptCte(
      'theirs',
      `select ${v.join(', ')}, count(*) as n from (${theirs.sql}) t where ${whole(v)} group by ${v.join(', ')}`,
    );
    const on = own
      .map((k, i) =>
        rows.equal({ sql: `m.${k.name}`, type: k.type }, { sql: `o.v${i}`, type: theirs.types[i]! }),
      )
      .join(' and ');
    const filled = whole(own.map((k) => `m.${k.name}`));
    const joined = `${grouped} m left join ${others} o on ${on}`;
    const columns = [
      counting('count', 'coalesce(sum(m.n), 0)'),
      counting('nulls', `coalesce(sum(case when ${filled} then 0 else m.n end), 0)`),
      counting('matched', 'coalesce(sum(case when o.n is not null then m.n else 0 end), 0)'),
      counting('different', countWhere(filled)),
      counting('most', `coalesce(max(case when ${filled} then m.n end), 0)`),
      counting('others', `(select count(*) from ${others})`),
      counting('most_others', `(select coalesce(max(n), 0) from ${others})`),
    ];
    const listed = columns.map((c) => `${c.sql} as ${quoted(c.name)}`).join(', ');
    const [found] = await this.ask(rows, `select ${listed} from ${joined}`, columns);
    const [count, nulls, matched, fromDistinct, fromMost, toDistinct, toMost] = found!.map(Number);
    const lonely = [...own.map((k) => ({ ...k, sql: `m.${k.name}` })), counting('n', 'm.n')];
    const orphans = await this.ask(
      rows,
      `select ${keys
        .split(', ')
        .map((k) => `m.${k}`)
        .join(
          ', ',
        )}, m.n from ${joined} where ${filled} and o.n is null order by m.n desc limit ${MOST_ORPHANS}`,
      lonely,
    );
    return {
      rows: count!,
      nulls: nulls!,
      matched: matched!,
      fromDistinct: fromDistinct!,
      toDistinct: toDistinct!,
      fromUnique: fromMost! <= 1,
      toUnique: toMost! <= 1,
      orphans: orphans.map((row) => ({
        value: row.slice(0, own.length).map(String).join(', '),
        rows: Number(row[own.length]),
      })),
    };
  }

  /** All different values of a column; undefined where there are more than `most`. */
  async allValues(table: string, name: string, most: number): Promise<Value[] | undefined> {
    const rows = this.on(table);
    const value = { ...rows.own(name), name: 'v' };
    const found = await this.ask(
      rows,
      rows.rows([value], `where ${value.sql} is not null\ngroup by 1\nlimit ${most + 1}`),
      [value],
    );
    if (found.length > most) return undefined;
    return found.map(([v]) => fromJson(v ?? null, value.type) ?? null);
  }

  /** Nulls and different values of a column. */
  async fill(table: string, name: string): Promise<{ rows: number; nulls: number; distinct: number }> {
    const rows = this.on(table);
    const { sql } = rows.own(name);
    const columns = [
      counting('n', 'count(*)'),
      counting('nulls', countWhere(`${sql} is null`)),
      counting('different', `count(distinct ${sql})`),
    ];
    const [found] = await this.ask(rows, rows.rows(columns), columns);
    const [count, nulls, distinct] = found!.map(Number);
    return { rows: count!, nulls: nulls!, distinct: distinct! };
  }

  /** Rows of a table as columns, at most so many. */
  async firstRowsOf(table: string, names: readonly string[], most: number): Promise<TableData> {
    const rows = this.on(table);
    const columns = names.map((name): NamedValue => ({ name, ...rows.own(name) }));
    const asked = columns.length > 0 ? columns : [counting('none', '1')];
    const found = await this.ask(rows, rows.rows(asked, `limit ${most}`), asked);
    const read = columns.map(({ name, type }, i): Column =>
      columnOfValues(
        name,
        type,
        found.map((row) => fromJson(row[i] ?? null, type) ?? null),
      ),
    );
    return tableOf(table, read, { rowCount: found.length });
  }
}
