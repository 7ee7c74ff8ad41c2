import type { Claim, JudgedClaim } from '@crease/core/claims';
import { listClaims, present } from '@crease/core/claims';
import type { TableData } from '@crease/core/columns';
import type { Model, Query, Table } from '@crease/core/model';
import { withFamilies } from '@crease/core/model';
import type { Proposal } from '@crease/core/propose';
import type { Answer } from '@crease/core/query';
import { answerQuery, ModelData } from '@crease/core/query';
import type { RowsBehind, RowsRequest } from '@crease/core/rows';
import { rowsBehind } from '@crease/core/rows';
import { tableLoader } from '@crease/core/sources';
import { numberText } from '@crease/core/values';
import type { JudgingEvents } from '@crease/core/warehouse';
import type { DatabaseTable } from '@crease/contract';
import type { Catalog, GroupedPlace } from '../databases/grouped.ts';
import { groupedCatalog } from '../databases/grouped.ts';
import { DatabaseError } from '../databases/reader.ts';
import type { Judged } from '../judging/oneClaim.ts';
import { judgedOn, orUnreachable } from '../judging/oneClaim.ts';
import type { Place } from '../warehouse/places.ts';
import { onConnection, placesOf } from '../warehouse/places.ts';
import { proposalsOnFirstRows, SAMPLED } from '../warehouse/proposals.ts';
import type { GroupedModel } from './onGroups.ts';
import { onFirstRows, onGroups } from './onGroups.ts';

/** What a model is asked on. */
export interface GroupsOrder {
  /** As its file has it. */
  readonly model: Model;
  /** What the connection is called. */
  readonly connection: string;
  /** The schema of tables whose source names none. */
  readonly schema?: string | undefined;
  /** The rows of a table that is not in the database. Throws DataError where there are none. */
  readonly held: (table: Table) => TableData;
  /** Days since 1970-01-01. */
  readonly today: number;
  /** After how long one piece of work (a claim, an answer) is given up, also at a server. */
  readonly timeoutMs: number;
  /** Is told where the tables are before anything is asked of them; may refuse by throwing. */
  readonly onPlaces?: (places: readonly Place[]) => void;
}

let opened = 0;

/**
 * A model over the tables of a database of which groups of rows are asked (`onGroups`), without a workspace:
 * what `ModelOnWarehouse` is for databases that are asked in whole statements.
 */
export class ModelOnGroups {
  private constructor(
    private readonly on: GroupedModel,
    private readonly asWritten: Model,
    private readonly timeoutMs: number,
    /** Columns of the model that the database lacks, as `table.column`. */
    readonly missing: readonly string[],
  ) {}

  /** Finds the tables. Throws DatabaseError where one cannot be read, or several are of one name. */
  static async open(place: GroupedPlace, order: GroupsOrder): Promise<ModelOnGroups> {
    const { model, connection, schema, held, today } = order;
    const catalog = groupedCatalog(place);
    const listed = await catalog.tables();
    const at = (t: DatabaseTable) => ({
      schema: t.schema ?? '',
      table: t.table,
      kind: t.kind,
      rows: t.rows,
      pages: 0,
      columns: [],
      unique: [],
      version: '',
      readable: t.readable,
      visible: place.kind === 'sqlite' || t.schema === place.database,
    });
    const search = { tables: model.tables, schema: place.kind === 'sqlite' ? undefined : schema };
    const places = placesOf(search, listed.map(at));
    order.onPlaces?.([...places.values()]);
    const placed = withoutSchemas(onConnection(model, places, connection));
    const full = withFamilies(placed);
    const on: GroupedModel = {
      model: full,
      places: { [connection]: place },
      // Nothing that was made of another model is this one's.
      key: `opened ${++opened}`,
      state: () => '',
      over: (rows) =>
        new ModelData(
          full,
          tableLoader(full, today, (table) => rows(table) ?? held(table)),
          today,
        ),
    };
    const missing = await missingIn(catalog, placed, places);
    return new ModelOnGroups(on, placed, order.timeoutMs, missing);
  }

  /** Answers a question on the groups that it needs. Throws QueryError, DataError and DatabaseError. */
  answer(query: Query): Promise<Answer> {
    return this.about((data) => answerQuery(data, query));
  }

  /** The rows behind cells of an answer. */
  rowsBehind(request: RowsRequest): Promise<RowsBehind> {
    return this.about((data) => rowsBehind(data, request));
  }

  /** Judges all claims of the model; `today` is the day in ISO 8601 by which waivers end. */
  async judge(today: string, { onError = () => undefined }: JudgingEvents = {}): Promise<JudgedClaim[]> {
    const { asWritten } = this;
    const claims = await this.about((data) => listClaims(asWritten, data.checker));
    const judged: ({ claim: Claim } & Judged)[] = [];
    for (const claim of claims) {
      const found = await orUnreachable(() => this.about((data) => judgedOn(claim, data, onError)));
      judged.push({ claim, ...found });
    }
    const remedies = new Map(judged.map((one) => [one.claim, one.remedies]));
    return present(judged, asWritten, today, (claim) => remedies.get(claim)!);
  }

  /** Drafts a star from the first rows of each table, as `proposalsOn` does from samples. */
  async proposals(): Promise<Proposal[]> {
    return proposalsOnFirstRows(await onFirstRows(this.on, SAMPLED), {});
  }

  private async about<T>(work: (data: ModelData) => T): Promise<T> {
    const end = AbortSignal.timeout(Math.ceil(this.timeoutMs));
    try {
      return await onGroups(this.on, work, end);
    } catch (error) {
      if (error instanceof DatabaseError && end.aborted)
        throw new DatabaseError(
          `the database has not answered within ${numberText(this.timeoutMs / 1000)} s: ask of fewer columns, or give it longer`,
        );
      throw error;
    }
  }
}

/** A file of SQLite has no schemas. */
const withoutSchemas = (model: Model): Model => ({
  ...model,
  tables: model.tables.map((table): Table => {
    if (!table.source || !('connection' in table.source) || table.source.schema !== '') return table;
    const { connection, table: name } = table.source;
    return { ...table, source: { connection, table: name } };
  }),
});

async function missingIn(
  catalog: Catalog,
  model: Model,
  places: ReadonlyMap<string, Place>,
): Promise<string[]> {
  const missing: string[] = [];
  for (const table of model.tables) {
    const found = places.get(table.name.toLowerCase());
    if (!found) continue;
    const { columns } = await catalog.about({ schema: found.schema || undefined, table: found.table });
    const known = new Set(columns.map((c) => c.name.toLowerCase()));
    for (const { name, sourceName, formula } of table.columns)
      if (formula === undefined && !known.has((sourceName ?? name).toLowerCase()))
        missing.push(`${table.name}.${name}`);
  }
  return missing;
}
