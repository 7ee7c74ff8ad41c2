import { workerData } from 'node:worker_threads';
import { move, transferableSymbol, valueSymbol } from 'piscina';
import { compareCounting, toJson, formatType, textReader, DATE } from '@crease/core/values';
import type { Misfits, TableData } from '@crease/core/columns';
import { calledNow, columnValues, PartsError } from '@crease/core/columns';
import { readModel, withFamilies } from '@crease/core/model';
import type { Model, Query, Table } from '@crease/core/model';
import {
  answerQuery,
  browseMembers,
  DataError,
  levelFacts,
  ModelData,
  resolvePath,
  traceCell,
} from '@crease/core/query';
import { columnBytes, profileModel } from '@crease/core/storage';
import { compileQuery, postgresql, printedSql, sqlite } from '@crease/core/sql';
import { adviseTypes, findAllLevels, findLevels, proposeStar } from '@crease/core/propose';
import { retyped } from '@crease/core/shape';
import { adviseStars, briefs } from '@crease/core/stars';
import { layOutFormula, placeOf } from '@crease/core/formula';
import { matchColumns } from '@crease/core/relate';
import { tableLoader } from '@crease/core/interchange';
import { ReadError } from '@crease/core/reading';
import { openWorkspace, sourceKey, Tables } from '../store/index.ts';
import type { Connection } from '../store/index.ts';
import { encodeColumn } from '../intake/encodeColumn.ts';
import type { PiecesDone } from '../intake/pieces.ts';
import { readPieces } from '../intake/pieces.ts';
import { memoryOf } from '../intake/kept.ts';
import { transcodeFile } from '../sources/fileTable.ts';
import { settle } from '../intake/settle.ts';
import {
  sqliteAbout,
  sqliteDraw,
  sqliteRights,
  sqliteTables,
  sqliteVersion,
} from '../databases/sqliteFile.ts';
import { DatabaseError } from '../databases/reader.ts';
import { systemFault } from '../systemFault.ts';
import { columnFormula } from './columnFormula.ts';
import { judge, remediesFor } from '../judging/judge.ts';
import { restsOf } from '../judging/dependencies.ts';
import { traced, tracedRows } from './stepTasks.ts';
import { tried } from '../judging/preview.ts';
import type { Task } from './tasks.ts';
import { SharedCodes } from './sharedCodes.ts';
import { END } from './tasks.ts';

/** Decoded codes, which the threads that answer questions share. */
const codes = new SharedCodes(workerData as SharedArrayBuffer);
const connections = new Map<string, Connection>();
const decoded = new Map<string, TableData>();
/** Rows of models with their derived columns and indexes; the newest few. */
const models = new Map<string, ModelData>();
const KEPT_MODELS = 3;
const KEPT_TABLES = 80;

function connection(workspace: string): Connection {
  let found = connections.get(workspace);
  if (!found) connections.set(workspace, (found = openWorkspace(workspace)));
  return found;
}

/** The day from which periods count: the model's, or else the day of the task. Days since 1970-01-01. */
const today = (model: Model, day: string): number => textReader(DATE)(model.asOf ?? day) as number;

type OnModel = Extract<Task, { document: string }>;

function dataOf(task: OnModel): ModelData {
  const key = JSON.stringify([task.workspace, task.modelId, task.revision, task.versions, task.day]);
  let data = models.get(key);
  if (!data) {
    data = makeData(task);
    for (const old of [...models.keys()].slice(0, Math.max(0, models.size - KEPT_MODELS + 1)))
      models.delete(old);
  }
  models.delete(key);
  models.set(key, data); // the last used stays longest
  return data;
}

/** The rows of a model, with what is derived of them. */
function makeData(task: OnModel): ModelData {
  const model = withFamilies(readModel(task.document));
  const now = today(model, task.day);
  const rests = restsOf(task.workspace, model, task);
  const loader = tableLoader(model, now, (table) => storedRows(task, table), rests.table);
  return new ModelData(model, loader, now, 'auto', rests.column);
}

function storedRows(task: OnModel, table: Table): TableData {
  const { name } = table;
  const version = task.versions[sourceKey(table)];
  if (version === undefined)
    throw new DataError(
      `the rows of ${name} have not been brought in yet: load ${table.source && 'file' in table.source ? table.source.file : 'them'} on the Intake stage`,
      { code: 'not-loaded' },
    );
  const key = `${task.workspace}\n${version}`;
  let stored = decoded.get(key);
  if (!stored) {
    stored = new Tables(connection(task.workspace), (column, decode) => codes.of(column, decode)).read(
      version,
      name,
    );
    if (decoded.size >= KEPT_TABLES) decoded.delete(decoded.keys().next().value!);
    decoded.set(key, stored);
  }
  return { ...retyped(calledNow(stored, table.columns), table.columns), name };
}

function column(task: Extract<Task, { kind: 'column' }>): Misfits | undefined {
  const { column, misfits } = encodeColumn(task.task);
  const { workspace, tableId, ordinal } = task.into;
  new Tables(connection(workspace)).addColumn(tableId, ordinal, column);
  return misfits;
}

function formula(task: Extract<Task, { kind: 'formula' }>) {
  const data = dataOf(task);
  const checked = data.checker.measureFormula(task.formula, task.name);
  const bases = checked.typed ? [...data.checker.basesOf(checked.typed)] : [];
  const reaches = (table: string) =>
    bases.every((base) => {
      const route = data.checker.reach.route(base, table);
      return route !== undefined && route.kind !== 'ambiguous';
    });
  const resting = checked.restsOn.map((name) => ({
    start: 0,
    end: task.formula.length,
    message: `it rests on "${name}", which is broken`,
  }));
  return {
    faults: [
      ...checked.faults.map((f) => ({ ...f, ...placeOf(task.formula, f.start) })),
      ...(checked.faults.length === 0 ? resting : []),
    ],
    type: checked.typed ? (checked.typed.type ? formatType(checked.typed.type) : 'null') : null,
    laidOut: layOutFormula(task.formula),
    measures: [...checked.measures],
    columns: checked.columns.map((c) => `${c.table}.${c.column}`),
    bases: bases.map((b) => data.modelTable(b).name),
    reachedBy:
      bases.length === 0
        ? []
        : data.model.tables.filter((t) => t.role === 'dimension' && reaches(t.name)).map((t) => t.name),
  };
}

/** What screens show of a table's columns: fill, distinct values, the most frequent ones, a distribution, bytes. */
function columns(task: Extract<Task, { kind: 'columns' }>) {
  const data = dataOf(task);
  const table = data.modelTable(task.table);
  return table.columns.map((c) => {
    const column = columnOrFault(data, table.name, c.name);
    if (typeof column === 'string') return { name: c.name, fault: column };
    const values = columnValues(column);
    const filled = [...column.counts.keys()].filter((code) => code > 0 && column.counts[code]! > 0);
    const top = [...filled].sort((a, b) => column.counts[b]! - column.counts[a]!).slice(0, 8);
    const { dataBytes, dictionaryBytes, encoding } = columnBytes(column);
    return {
      name: c.name,
      rows: column.rowCount,
      nulls: column.nulls,
      distinct: column.distinct,
      encoding,
      bytes: dataBytes + dictionaryBytes,
      least: filled.length ? toJson(values[filled[0]!]!, column.type) : null,
      greatest: filled.length ? toJson(values[filled.at(-1)!]!, column.type) : null,
      frequent: top.map((code) => ({
        value: toJson(values[code]!, column.type),
        rows: column.counts[code]!,
      })),
      distribution: distribution(column.counts),
    };
  });
}

/** A derived column may be broken: then the others are shown all the same. */
function columnOrFault(data: ModelData, table: string, name: string) {
  try {
    return data.column(table, name);
  } catch (error) {
    if (error instanceof DataError) return error.message;
    throw error;
  }
}

const CLASSES = 16;

/** Rows by stretches of the ordered values: of equal width in codes. */
function distribution(counts: Uint32Array): number[] {
  const size = counts.length - 1;
  const classes = new Array<number>(Math.min(CLASSES, Math.max(1, size))).fill(0);
  for (let code = 1; code <= size; code++)
    classes[Math.floor(((code - 1) * classes.length) / size)]! += counts[code]!;
  return classes;
}

function rows(task: Extract<Task, { kind: 'rows' }>) {
  const data = dataOf(task);
  const table = data.modelTable(task.table);
  const shown = table.columns.filter((c) => typeof columnOrFault(data, table.name, c.name) !== 'string');
  const found = shown.map((c) => data.column(table.name, c.name));
  const total = data.rowCount(table.name);
  const end = Math.min(total, task.offset + task.count);
  return {
    columns: shown.map((c) => ({ name: c.name, type: c.type })),
    rows: Array.from({ length: Math.max(0, end - task.offset) }, (_, i) =>
      found.map((c) => toJson(columnValues(c)[c.codes[task.offset + i]!]!, c.type)),
    ),
    total,
  };
}

const MOST_SORTED = 20_000;

function values(task: Extract<Task, { kind: 'values' }>) {
  const data = dataOf(task).askedBy({ by: [task.column], measures: [] });
  const { table, column: name } = resolvePath(data, task.column);
  const column = data.column(table, name);
  const all = columnValues(column);
  const search = task.search.toLowerCase();
  const found: { value: unknown; rows: number }[] = [];
  // Sorted as people count where that takes no time; a large dictionary keeps the order of its codes.
  const codes = Array.from({ length: all.length - 1 }, (_, i) => i + 1);
  if (codes.length <= MOST_SORTED) codes.sort((a, b) => compareCounting(all[a]!, all[b]!));
  for (const code of codes) {
    if (found.length >= 200) break;
    if (column.counts[code] === 0) continue;
    const value = toJson(all[code]!, column.type);
    if (search === '' || String(value).toLowerCase().includes(search))
      found.push({ value, rows: column.counts[code]! });
  }
  return { type: formatType(column.type), values: found, distinct: column.distinct };
}

/** An error as plain data: which kind, and what it says. */
export interface TaskFault {
  /** What cannot be answered, read, reached, or is too much; or a fault of this program. */
  readonly fault: 'data' | 'read' | 'database' | 'limit' | 'busy' | 'disk-full' | 'bug';
  readonly message: string;
  /** Of a bug. */
  readonly trace?: string;
}

async function run(task: Task): Promise<unknown> {
  switch (task.kind) {
    case 'prune':
      return new Tables(connection(task.workspace)).rows.prune(task.modelId, task.keep);
    case 'query': {
      const start = performance.now();
      const answer = answerQuery(dataOf(task), task.query as Query, task.texts);
      return { ...answer, elapsedMs: Math.round((performance.now() - start) * 10) / 10 };
    }
    case 'trace':
      return traceCell(dataOf(task), task.query, task.cell);
    case 'sql': {
      const { model, checker, today } = dataOf(task);
      const dialect = task.dialect === 'sqlite' ? sqlite : postgresql;
      return {
        sql: printedSql(compileQuery({ model, checker, today }, task.query as Query, dialect), dialect),
      };
    }
    case 'profile': {
      const start = performance.now();
      return { ...profileModel(dataOf(task)), elapsedMs: Math.round(performance.now() - start) };
    }
    case 'propose':
      return { revision: task.revision, proposals: proposeStar(dataOf(task), task.pattern) };
    case 'types':
      return adviseTypes(dataOf(task));
    case 'stars':
      return adviseStars(dataOf(task));
    case 'briefs':
      return briefs(dataOf(task));
    case 'formula':
      return formula(task);
    case 'column-formula':
      return columnFormula(task, dataOf(task));
    case 'browse':
      return browseMembers(dataOf(task), task.hierarchy, task.path);
    case 'match': {
      const data = dataOf(task);
      const columnsOf = (end: typeof task.from) => end.columns.map((name) => data.column(end.table, name));
      return matchColumns(columnsOf(task.from), columnsOf(task.to));
    }
    case 'levels':
      return levelFacts(dataOf(task), task.hierarchy);
    case 'find-levels':
      return task.table === '' ? findAllLevels(dataOf(task)) : findLevels(dataOf(task), task.table);
    case 'steps':
      return traced(task, dataOf(task));
    case 'step-rows':
      return tracedRows(task, dataOf(task));
    case 'columns':
      return columns(task);
    case 'rows':
      return rows(task);
    case 'values':
      return values(task);
    case 'judge':
      return judge(task, dataOf(task));
    case 'remedies':
      return remediesFor(task, dataOf(task));
    case 'try':
      return tried(task, makeData(task));
    case 'settle':
      return settle(new Tables(connection(task.workspace)), task.order);
    case 'sqlite':
      return task.ask === 'about'
        ? sqliteAbout(task.file, task.table)
        : { version: sqliteVersion, tables: sqliteTables, rights: sqliteRights }[task.ask](task.file);
    case 'sqlite-draw':
      return sqliteDraw(task.draw);
    case 'transcode':
      return transcodeFile(task.file, task.encoding, task.to, task.shared);
    case 'pieces':
      return readPieces(task.task);
    case 'column':
      return column(task);
  }
}

/** An answer whose memory moves to the thread that asked. */
const moved = (value: { result: unknown }, memory: ArrayBuffer[]): { result: unknown } =>
  move({ [transferableSymbol]: memory, [valueSymbol]: value } as unknown as ArrayBuffer) as unknown as {
    result: unknown;
  };

/** An error as plain data, by its kind. */
function faultOf(error: unknown): TaskFault {
  const message = error instanceof Error ? error.message : String(error);
  if (error instanceof DataError) return { fault: error.reason.code === 'limit' ? 'limit' : 'data', message };
  if (error instanceof PartsError) return { fault: 'data', message };
  if (error instanceof ReadError) return { fault: 'read', message };
  if (error instanceof DatabaseError) return { fault: 'database', message };
  const system = systemFault(error);
  if (system) return { fault: system.code, message: system.message };
  return { fault: 'bug', message, ...(error instanceof Error && error.stack ? { trace: error.stack } : {}) };
}

/** A worker's answer: a result, or a fault that belongs to the person who asked. Bugs go to the log with their trace. */
export default async function work(task: Task): Promise<{ result: unknown } | TaskFault> {
  codes.begin();
  try {
    const result = await run(task);
    if (task.kind !== 'pieces') return { result };
    const { pieces, dictionaries } = result as PiecesDone;
    const memory = memoryOf(
      pieces.flatMap(({ cells }) => cells),
      dictionaries.flat(),
    );
    return moved({ result }, memory);
  } catch (error) {
    return faultOf(error);
  } finally {
    codes.end();
    if ('port' in task) task.port.postMessage(END);
  }
}
