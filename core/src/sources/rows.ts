import type { TableData } from '../columns/index.ts';
import type { Correction, CorrectedColumn } from '../corrections/index.ts';
import { correctedColumn, correctionsTable, readCorrections, withCorrections } from '../corrections/index.ts';
import type { Model, Table } from '../model/index.ts';
import { isDerived, sameName, stepsOf } from '../model/index.ts';
import type { TableRows } from '../query/index.ts';
import { DataError } from '../query/index.ts';
import { tablesRead } from '../shape/index.ts';
import type { RowSetting } from './kind.ts';
import { sourceKind } from './kinds.ts';

/** Rows of a table that needs neither a file nor a database; undefined for any other. */
const ownRows = (table: Table, setting: RowSetting): TableData | undefined =>
  table.source && sourceKind(table.source).rows?.(table, table.source, setting);

interface RowSources {
  readonly model: Model;
  readonly today: number;
  readonly stored: (table: Table) => TableData;
  readonly kept: (table: Table, make: () => TableData | undefined) => TableData | undefined;
  readonly hasCorrections: (list: Table) => boolean;
}

/**
 * Rows of a model's tables by name, each made once, with the corrections that hold as of a day (by default
 * `today`, in days since 1970-01-01). `stored` gives the rows of a table that has its own, and those of a
 * list of corrections (see `correctionsTable`) where `hasCorrections`. `kept` may have rows that need no
 * file from an earlier time, or makes them. The loader throws DataError for an unknown table and where tables
 * are derived from each other in a circle.
 */
export function tableLoader(
  model: Model,
  today: number,
  stored: RowSources['stored'],
  kept: RowSources['kept'] = (_, make) => make(),
  hasCorrections: RowSources['hasCorrections'] = () => true,
): TableRows {
  const loader = new TableLoader({ model, today, stored, kept, hasCorrections });
  return (name, asOf) => loader.rows(name, asOf ?? today);
}

interface ListOfCorrections {
  readonly of: CorrectedColumn;
  readonly all: readonly Correction[];
}

class TableLoader {
  /** Rows as they were read or made, and as they are after corrections; by day. */
  private readonly plain = new Map<string, TableData>();
  private readonly made = new Map<string, TableData>();
  private readonly lists = new Map<string, readonly ListOfCorrections[]>();
  /** Tables whose steps are being run: one that is asked for again is derived from itself. */
  private readonly open: string[] = [];

  constructor(private readonly sources: RowSources) {}

  rows(wanted: string, day: number): TableData {
    const { model, today } = this.sources;
    const table = model.tables.find((t) => sameName(t.name, wanted));
    if (!table) throw new DataError(`the model has no table "${wanted}"`);
    const { name } = table;
    const key = `${day} ${name}`;
    const known = this.made.get(key);
    if (known) return known;
    if (this.open.includes(name))
      throw new DataError(
        `the tables are derived from each other in a circle: ${[...this.open, name].join(' → ')}`,
      );
    this.open.push(name);
    try {
      const rows = day === today ? this.onToday(table) : this.onDay(table, day);
      this.made.set(key, rows);
      return rows;
    } finally {
      this.open.pop();
    }
  }

  /** Rows without corrections of the table itself, as of today. */
  private readRows(table: Table): TableData {
    const { kept, stored } = this.sources;
    let rows = this.plain.get(table.name);
    if (!rows) {
      rows = kept(table, () => this.derived(table, this.sources.today)) ?? stored(table);
      this.plain.set(table.name, rows);
    }
    return rows;
  }

  private derived(table: Table, day: number): TableData | undefined {
    const { model, today } = this.sources;
    return ownRows(table, { model, table: (other) => this.rows(other, day), today });
  }

  /** Rows as of another day: those of today, where no correction of what they are made of begins or ends. */
  private onDay(table: Table, day: number): TableData {
    const { today } = this.sources;
    const now = this.onToday(table);
    const isOther =
      isDerived(table) &&
      tablesRead(stepsOf(table)).some((other) => this.rows(other, day) !== this.rows(other, today));
    const lists = this.listsOf(table);
    if (!isOther && !lists.some(({ all }) => all.some((c) => c.from !== null || c.to !== null))) return now;
    const rows = isOther ? this.derived(table, day)! : this.readRows(table);
    return this.correct(table, rows, day);
  }

  private onToday(table: Table): TableData {
    const { today } = this.sources;
    const key = `${today} ${table.name}`;
    let rows = this.made.get(key);
    if (!rows) this.made.set(key, (rows = this.correct(table, this.readRows(table), today)));
    return rows;
  }

  private correct(table: Table, rows: TableData, day: number): TableData {
    return this.listsOf(table).reduce(
      (data, { of, all }) =>
        data.columns.has(of.column.name.toLowerCase()) ? withCorrections(of, data, all, day) : data,
      rows,
    );
  }

  /** What has been corrected of a table. */
  private listsOf(table: Table): readonly ListOfCorrections[] {
    let lists = this.lists.get(table.name);
    if (!lists) this.lists.set(table.name, (lists = listsOf(this.sources, table)));
    return lists;
  }
}

/** The lists of corrections of a table that can be read; the others are told by a claim. */
function listsOf({ model, stored, hasCorrections }: RowSources, table: Table): ListOfCorrections[] {
  return (model.corrections ?? []).flatMap((corrections) => {
    const of = correctedColumn(model, corrections.of);
    if ('refusal' in of || of.table !== table) return [];
    const list = correctionsTable(of, corrections);
    return hasCorrections(list) ? [{ of, all: readCorrections(of, stored(list)) }] : [];
  });
}
