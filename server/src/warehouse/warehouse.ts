import type { Claim, JudgedClaim, Judgement, Remedy } from '@crease/core/claims';
import { listClaims, present, remediesOf } from '@crease/core/claims';
import type { TableData } from '@crease/core/columns';
import type { Model, Query, Table } from '@crease/core/model';
import { sameName, withFamilies } from '@crease/core/model';
import type { Answer, Extras, Json } from '@crease/core/query';
import { DataError, ModelData } from '@crease/core/query';
import type { DataOracle } from '@crease/core/formula';
import type { RowsBehind, RowsRequest } from '@crease/core/rows';
import { tableLoader } from '@crease/core/sources';
import type { CompiledRows, SqlDialect, SqlSetting } from '@crease/core/sql';
import { cellJson, compileQuery } from '@crease/core/sql';
import { numberText } from '@crease/core/values';
import {
  judgeOnWarehouse,
  learnFacts,
  rowsBehindOn,
  WarehouseLook,
  warehouseSetting,
} from '@crease/core/warehouse';
import type { JudgingEvents, Warehouse, WarehouseFacts } from '@crease/core/warehouse';
import { answerInTexts, cellOf } from './cells.ts';
import type { StatementTold, WarehouseEngine, WarehouseSession } from './engine.ts';
import { passedThrough } from './passedThrough.ts';
import { onConnection } from './places.ts';
import type { Place } from './places.ts';
import type { ReadPart } from './relations.ts';
import { drawnRows, isEnforcedAt, missingColumns, relationsOn } from './relations.ts';

/** Of a table that is passed through so many rows are brought for a moment, to list members. */
const MOST_BROUGHT = 200_000;

/** What a model is asked on. */
export interface OpenOrder {
  /** As its file has it. */
  readonly model: Model;
  /** What the connection is called. */
  readonly connection: string;
  /** The schema of tables whose source names none. */
  readonly schema?: string | undefined;
  /** Tables that may lie in the database; by default all that the model keeps rows of. */
  readonly tables?: readonly Table[];
  /** The rows of a table that is not in the database. Throws DataError where there are none. */
  readonly held: (table: Table) => TableData;
  /** Days since 1970-01-01. */
  readonly today: number;
  /** After how long the server ends a statement. */
  readonly timeoutMs: number;
  /** May have what was found out before, of the same tables as they are now. */
  readonly facts?: (
    places: ReadonlyMap<string, Place>,
    learn: () => Promise<WarehouseFacts>,
  ) => Promise<WarehouseFacts>;
  /** Is told of every statement. */
  readonly tell?: (statement: StatementTold) => void;
}

/** Rows of a compiled statement as JSON. */
async function rowsOf(
  session: WarehouseSession,
  dialect: SqlDialect,
  { sql, parameters, columns }: CompiledRows,
): Promise<Json[][]> {
  const values = parameters.map(({ value, type }) => dialect.bound(value, type));
  const rows = await session.texts(sql, values);
  return rows.map((row) => columns.map(({ type }, i) => cellJson(cellOf(row[i]!, type), type)));
}

/** A session that tells of each statement. */
const telling = (session: WarehouseSession, tell: (told: StatementTold) => void): WarehouseSession => ({
  endAfter: (milliseconds) => session.endAfter(milliseconds),
  findPlaces: (search) => session.findPlaces(search),
  inOrder: () => session.inOrder(),
  texts: async (sql, values) => {
    const start = performance.now();
    const rows = await session.texts(sql, values);
    tell({ sql, milliseconds: performance.now() - start, rows: rows.length });
    return rows;
  },
});

/** What is held here of a model whose other rows lie in a database, which says what columns alone cannot. */
class HeldRows extends ModelData {
  levels: DataOracle | undefined;

  override determines(table: string, level: readonly string[], column: string): boolean {
    return this.levels
      ? this.levels.determines(table, level, column)
      : super.determines(table, level, column);
  }
}

/** A model over the tables of a database, within one transaction. */
export class ModelOnWarehouse {
  private constructor(
    /** The model with its tables where they lie, and its families. */
    readonly model: Model,
    private readonly asWritten: Model,
    readonly places: ReadonlyMap<string, Place>,
    private readonly engine: WarehouseEngine,
    private readonly session: WarehouseSession,
    private readonly warehouse: Warehouse,
    private readonly setting: SqlSetting,
    /** What is held here; a table that is passed through has no rows in it. */
    readonly data: ModelData,
  ) {}

  /** Finds the tables and what statements rest on. Throws DatabaseError where a table cannot be read. */
  static async open(
    engine: WarehouseEngine,
    opened: WarehouseSession,
    order: OpenOrder,
  ): Promise<ModelOnWarehouse> {
    const { model, connection, schema, held, today, timeoutMs, tell } = order;
    const session = tell ? telling(opened, tell) : opened;
    const places = await session.findPlaces({ tables: order.tables ?? model.tables, schema });
    await session.endAfter(timeoutMs);
    const placed = onConnection(model, places, connection);
    const full = withFamilies(placed);
    const loader = tableLoader(full, today, (table) => {
      if (places.has(table.name.toLowerCase())) throw passedThrough(table.name);
      return held(table);
    });
    const here = new HeldRows(full, loader, today);
    const warehouse: Warehouse = {
      dialect: engine.dialect,
      relations: relationsOn(places, engine.rows, (table) => here.table(table.name)),
      ask: (statement) => rowsOf(session, engine.dialect, statement),
      drawnRowsOf: (table) => drawnRows(places, engine.rows, table),
      isEnforced: isEnforcedAt(full, places, engine.rows),
    };
    const learn = () => learnFacts(full, warehouse, today);
    const facts = await (order.facts ? order.facts(places, learn) : learn());
    const setting = warehouseSetting(full, warehouse, today, facts);
    here.levels = setting.checker.oracle;
    return new ModelOnWarehouse(full, placed, places, engine, session, warehouse, setting, here);
  }

  /** Columns of the model that the database lacks, as `table.column`. */
  get missing(): string[] {
    return this.model.tables.flatMap((table) => {
      const place = this.places.get(table.name.toLowerCase());
      return place ? missingColumns(table, place).map((column) => `${table.name}.${column}`) : [];
    });
  }

  /**
   * Answers a question by SQL, with what is told beside the answer where that is asked for. Throws QueryError
   * as the columns engine does, and DataError.
   */
  async answer(query: Query, extras: Extras = {}): Promise<Answer> {
    const { dialect } = this.engine;
    return answerInTexts(compileQuery(this.setting, query, dialect, true, extras), dialect, (sql, values) =>
      this.session.texts(sql, values),
    );
  }

  /** The rows behind cells of an answer. */
  rowsBehind(request: RowsRequest): Promise<RowsBehind> {
    return rowsBehindOn(this.setting, this.warehouse, request);
  }

  /** Judges all claims of the model; `today` is the day in ISO 8601 by which waivers end. */
  async judge(today: string, events: JudgingEvents = {}): Promise<JudgedClaim[]> {
    const claims = listClaims(this.asWritten, this.setting.checker);
    const judged = await this.judgeThese(claims, events);
    return present(
      claims.map((claim) => ({ claim, judgement: judged.get(claim)! })),
      this.asWritten,
      today,
      (claim, judgement) => remediesOf(claim, judgement),
    );
  }

  /**
   * Judges some claims, and tells each with the ways out of it; of large tables first what a sample says (its
   * reason is `sampled`).
   */
  async judgeSome(
    isMeant: (claim: Claim) => boolean,
    onJudged: (claim: string, judgement: Judgement, remedies: readonly Remedy[]) => void,
    onError: (error: unknown) => void,
  ): Promise<void> {
    const claims = listClaims(this.asWritten, this.setting.checker).filter(isMeant);
    await this.judgeThese(claims, {
      onError,
      onFirst: (claim, judgement) => onJudged(claim.id, judgement, []),
      onJudged: (claim, judgement) =>
        onJudged(claim.id, judgement, judgement.verdict === 'broken' ? remediesOf(claim, judgement) : []),
    });
  }

  /** Statements about single tables, for screens. */
  get look(): WarehouseLook {
    return new WarehouseLook(this.setting, this.warehouse);
  }

  /**
   * The data with the rows of some tables, and of what they look up, brought here for as long as somebody
   * looks at them: members of hierarchies are an answer, and dimensions small. Throws DataError for a table
   * with more than `MOST_BROUGHT` rows.
   */
  async withRowsOf(names: readonly string[]): Promise<ModelData> {
    const brought = new Map<string, TableData>();
    for (const table of this.model.tables) {
      const isWanted = names.some(
        (name) =>
          sameName(name, table.name) || this.setting.checker.reach.lookup(name, table.name) !== undefined,
      );
      const place = this.places.get(table.name.toLowerCase());
      if (!isWanted || !place) continue;
      const rows = await this.firstRows(this.look, table, MOST_BROUGHT + 1);
      if (rows.rowCount > MOST_BROUGHT)
        throw new DataError(
          `${table.name} has more than ${numberText(MOST_BROUGHT)} rows: its members are not listed here while it is passed through`,
          { code: 'limit' },
        );
      brought.set(table.name.toLowerCase(), rows);
    }
    return this.dataWith(brought);
  }

  /**
   * The data with rows of all tables that lie in the database: whole tables up to `most` rows, of larger ones
   * a sample. What is found on them is to be counted on all rows.
   */
  async withSamples(most: number): Promise<ModelData> {
    const relations = relationsOn(this.places, this.engine.rows, (table) => this.data.table(table.name), {
      most,
    });
    const look = new WarehouseLook({ ...this.setting, ...relations }, this.warehouse);
    const brought = new Map<string, TableData>();
    for (const table of this.model.tables)
      if (this.places.has(table.name.toLowerCase()))
        brought.set(table.name.toLowerCase(), await this.firstRows(look, table, most));
    return this.dataWith(brought);
  }

  private async firstRows(look: WarehouseLook, table: Table, most: number): Promise<TableData> {
    return look.firstRowsOf(table.name, this.storedColumns(table), most);
  }

  /** From now on rows come as they lie: by one process, from the first page on. */
  inOrder(): Promise<void> {
    return this.session.inOrder();
  }

  /** Statements on a stretch of pages of tables. */
  lookAt(pages: ReadPart['pages'] & object): WarehouseLook {
    const relations = relationsOn(this.places, this.engine.rows, (table) => this.data.table(table.name), {
      pages,
    });
    return new WarehouseLook({ ...this.setting, ...relations }, this.warehouse);
  }

  /** Columns of a table that have no formula and are in the database. */
  storedColumns(table: Table): string[] {
    const missing = new Set(missingColumns(table, this.places.get(table.name.toLowerCase())!));
    return table.columns.filter((c) => c.formula === undefined && !missing.has(c.name)).map((c) => c.name);
  }

  dataWith(brought: ReadonlyMap<string, TableData>): ModelData {
    const load = (name: string) => brought.get(name.toLowerCase()) ?? this.data.table(name);
    return new ModelData(this.model, load, this.data.today);
  }

  private judgeThese(claims: readonly Claim[], events: JudgingEvents): Promise<Map<Claim, Judgement>> {
    const { warehouse, setting, data } = this;
    return judgeOnWarehouse(
      claims,
      { warehouse, setting, data, answer: (query) => this.answer(query) },
      events,
    );
  }
}
