import { LRUCache } from 'lru-cache';
import type { JudgedClaim, Judgement } from '@crease/core/claims';
import type { TableData } from '@crease/core/columns';
import type { Model, Table } from '@crease/core/model';
import { connectionOf, readModel, withFamilies } from '@crease/core/model';
import { DataError } from '@crease/core/query';
import { quoted } from '@crease/core/sql';
import { DATE, numberText, textReader } from '@crease/core/values';
import type { WarehouseFacts } from '@crease/core/warehouse';
import type { Databases } from '../databases/databases.ts';
import { groupedReader } from '../databases/grouped.ts';
import type { GroupedReader } from '../databases/reader.ts';
import { DatabaseError } from '../databases/reader.ts';
import type { ModelVersion, Tables } from '../store/index.ts';
import { sourceKey } from '../store/index.ts';
import { passedKey, passedTables } from './passedThrough.ts';
import type { Place } from './places.ts';
import type { WarehouseEngine, WarehouseSession } from './engine.ts';
import type { EnginePlace } from './engines/index.ts';
import { engineAt } from './engines/index.ts';
import { isCounted } from './places.ts';
import { MOST_VALUES } from './relations.ts';
import { ModelOnWarehouse } from './warehouse.ts';

/** After so long the server ends a statement that somebody waits for. */
const QUESTION_MS = 120_000;
/** Nobody waits for claims: a scan of a large fact may take its time. */
const CLAIM_MS = 1_800_000;
/** What was found out of tables is looked at again after so long: the server's counts of changes may lag. */
const FACTS_MS = 60_000;

/** What passed-through tables need of a workspace. */
export interface PassedThroughOf {
  readonly databases: Databases;
  readonly tables: Tables;
}

/** Asks the databases of tables that are passed through. */
export class PassedTables {
  private readonly facts = new LRUCache<string, WarehouseFacts>({ max: 50, ttl: FACTS_MS });

  constructor(private readonly of: PassedThroughOf) {}

  /**
   * Does something that somebody waits for in the database of a model's tables. Where these lie in several,
   * each is tried: what needs tables of two is refused by the last.
   */
  async ask<T>(
    version: ModelVersion,
    work: (on: ModelOnWarehouse) => Promise<T>,
    signal?: AbortSignal,
  ): Promise<T> {
    const connections = this.connectionsOf(readModel(version.document));
    if (connections.length === 0)
      throw new DataError(
        'of tables that are passed through from ClickHouse or a SQLite file only groups are asked, and this needs more: hold them (load their rows) first',
        { code: 'not-loaded' },
      );
    for (const connection of connections.slice(0, -1)) {
      try {
        return await this.on(version, connection, QUESTION_MS, work, signal);
      } catch (error) {
        if (!(error instanceof DataError) || error.reason.code !== 'elsewhere') throw error;
      }
    }
    return this.on(version, connections.at(-1)!, QUESTION_MS, work, signal);
  }

  /** Does something with a model on one of its databases, within one state of that. */
  async on<T>(
    version: ModelVersion,
    connection: string,
    timeoutMs: number,
    work: (on: ModelOnWarehouse) => Promise<T>,
    signal?: AbortSignal,
  ): Promise<T> {
    const model = readModel(version.document);
    const tables = passedTables(model).filter((t) => connectionOf(t)!.connection === connection);
    const engine = this.engine(connection);
    return engine.within(
      async (session) =>
        work(
          await ModelOnWarehouse.open(engine, session, {
            model,
            connection,
            tables,
            held: (table) => this.held(version, table, connection),
            today: textReader(DATE)(model.asOf ?? version.day) as number,
            timeoutMs,
            facts: (places, learn) => this.known(version, places, learn),
          }),
        ),
      signal,
    );
  }

  /**
   * Judges the claims that need rows of a database, by their ids. Throws DatabaseError of one that cannot be
   * reached once the others have been asked.
   */
  async judge(
    version: ModelVersion,
    ids: ReadonlySet<string>,
    onJudged: (claim: string, judgement: Judgement, remedies: JudgedClaim['remedies']) => void,
    onError: (error: unknown) => void,
    signal: AbortSignal,
  ): Promise<void> {
    const open = new Set(ids);
    /** What a database cannot say for want of tables: the last word only where no other one says more. */
    const elsewhere = new Map<string, () => void>();
    const gone: unknown[] = [];
    for (const connection of this.connectionsOf(readModel(version.document))) {
      const judge = (on: ModelOnWarehouse) =>
        on.judgeSome(
          ({ id }) => open.has(id),
          (claim, judgement, remedies) => {
            const tell = () => onJudged(claim, judgement, remedies);
            const code = judgement.evidence.reason?.code;
            if (code === 'elsewhere') elsewhere.set(claim, tell);
            // What a sample says stands until all rows are counted.
            else if (code === 'sampled' || open.delete(claim)) tell();
          },
          onError,
        );
      try {
        await this.on(version, connection, CLAIM_MS, judge, signal);
      } catch (error) {
        if (!(error instanceof DatabaseError) || signal.aborted) throw error;
        gone.push(error);
      }
    }
    // Of a claim that is open while a database is gone nobody knows that its tables lie elsewhere.
    if (gone.length > 0) throw gone[0];
    for (const [claim, tell] of elsewhere) if (open.has(claim)) tell();
  }

  /**
   * What changes when rows of passed-through tables may have changed, by keys beside those of stored rows:
   * the greatest value of a table's watermark, where it names one, and what the server counts. A view or
   * foreign table without a watermark, and a database that cannot be reached, have no version: their claims
   * are judged again.
   */
  async versions(model: Model): Promise<Record<string, string>> {
    const found: Record<string, string> = {};
    for (const connection of allConnectionsOf(model)) {
      const tables = passedTables(model).filter((t) => connectionOf(t)!.connection === connection);
      const grouped = this.of.databases.groupedPlace(connection);
      const versions = grouped
        ? await groupedVersions(groupedReader(grouped), tables)
        : await this.versionsAt(connection, tables);
      tables.forEach((t, i) => (found[passedKey(t)] = versions[i]!));
    }
    return found;
  }

  private async versionsAt(connection: string, tables: readonly Table[]): Promise<string[]> {
    try {
      return await this.engine(connection).within(async (session) => {
        const places = await session.findPlaces({ tables });
        const versions: string[] = [];
        for (const table of tables) {
          const place = places.get(table.name.toLowerCase());
          const mark = place && (await watermarkOf(session, table, place));
          const unknown = place && isCounted(place) ? '' : `unknown ${Date.now()}`;
          versions.push(`${place?.version ?? 'missing'} ${mark ?? unknown}`);
        }
        return versions;
      });
    } catch (error) {
      if (!(error instanceof DatabaseError)) throw error;
      return tables.map(() => `unreachable ${Date.now()}`);
    }
  }

  /** The connection of a model's passed-through tables, and where it leads. Throws where there is none. */
  placeOf(model: Model): { connection: string; place: EnginePlace } {
    const [connection] = this.connectionsOf(model);
    if (connection === undefined)
      throw new DataError(
        'this is told of tables that are passed through from PostgreSQL, MariaDB, DuckDB or Parquet files: of ClickHouse and SQLite files only groups are asked',
        { code: 'not-loaded' },
      );
    return { connection, place: this.of.databases.place(connection) };
  }

  /** Where databases are of which groups are asked, by connection; undefined where the model needs none. */
  grouped(model: Model): ModelVersion['grouped'] {
    const places = allConnectionsOf(model).flatMap((name) => {
      const place = this.of.databases.groupedPlace(name);
      return place ? [[name, place] as const] : [];
    });
    return places.length === 0 ? undefined : Object.fromEntries(places);
  }

  /** Connections of passed-through tables that are asked by statements of their own. */
  private connectionsOf(model: Model): string[] {
    return allConnectionsOf(model).filter((name) => !this.of.databases.groupedPlace(name));
  }

  private engine(connection: string): WarehouseEngine {
    return engineAt(this.of.databases.place(connection));
  }

  /** Facts are shared once they are there: while they are learnt they hang on the session of one who asks. */
  private async known(
    { document }: ModelVersion,
    places: ReadonlyMap<string, Place>,
    learn: () => Promise<WarehouseFacts>,
  ): Promise<WarehouseFacts> {
    const key = JSON.stringify([document, [...places].map(([name, place]) => [name, place.version])]);
    const known = this.facts.get(key);
    if (known) return known;
    const learnt = await learn();
    this.facts.set(key, learnt);
    return learnt;
  }

  /** Rows that are held here, where they are few enough to travel along; others are not even decoded. */
  private held(version: ModelVersion, table: Table, asked: string): TableData {
    const source = connectionOf(table);
    if (table.held === false && source?.connection === asked)
      throw new DataError(
        `${table.name} is not in ${asked} any more: no table or view ${source.schema === undefined ? '' : `${source.schema}.`}${source.table} is there. Put it back, or take ${table.name} out of the model`,
        { code: 'not-loaded' },
      );
    if (table.held === false)
      throw new DataError(
        `${table.name} lies in another database (${source?.connection ?? 'none'}): a question is asked in one. Hold it here, or load it there`,
        { code: 'elsewhere' },
      );
    const key = sourceKey(table);
    const stored = version.versions[key];
    if (stored === undefined)
      throw new DataError(`no rows yet: nothing has been imported into ${table.name}`, {
        code: 'not-loaded',
      });
    const rows = this.of.tables.rowCount(version.modelId, key);
    if (rows > MOST_VALUES)
      throw new DataError(
        `${table.name} is held here, and its ${numberText(rows)} rows are more than the ${numberText(MOST_VALUES)} that travel along with a question to a database: load it there, or hold the other tables here`,
        { code: 'limit' },
      );
    return this.of.tables.read(stored, table.name);
  }
}

/** As `versions`, of tables of which groups are asked: those that are spread over nodes have none. */
async function groupedVersions(reader: GroupedReader, tables: readonly Table[]): Promise<string[]> {
  const versions: string[] = [];
  for (const table of tables) {
    const { schema, table: name } = connectionOf(table)!;
    try {
      versions.push((await reader.version({ schema, table: name })) ?? `unknown ${Date.now()}`);
    } catch (error) {
      if (!(error instanceof DatabaseError)) throw error;
      versions.push(`unreachable ${Date.now()}`);
    }
  }
  return versions;
}

const allConnectionsOf = (model: Model): string[] => [
  ...new Set(passedTables(withFamilies(model)).map((t) => connectionOf(t)!.connection)),
];

/** The greatest value of a table's watermark, with how many rows it has. */
async function watermarkOf(
  session: WarehouseSession,
  table: Table,
  place: Place,
): Promise<string | undefined> {
  if (table.watermark === undefined) return undefined;
  const column = table.columns.find((c) => c.name.toLowerCase() === table.watermark!.toLowerCase());
  const name = column?.sourceName ?? table.watermark;
  const [row] = await session.texts(
    `select concat_ws(' ', max(${quoted(name)}), count(*)) from ${quoted(place.schema)}.${quoted(place.table)}`,
    [],
  );
  return row?.[0] ?? undefined;
}
