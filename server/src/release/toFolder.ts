import { createHash } from 'node:crypto';
import {
  existsSync,
  linkSync,
  mkdirSync,
  openSync,
  closeSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { fileWriter, ParquetWriter } from 'hyparquet-writer';
import type { TableData } from '@crease/core/columns';
import { columnValues } from '@crease/core/columns';
import { csvLine, dataPackage, tableMetadata, VERSION } from '@crease/core/interchange';
import type { Model, Table } from '@crease/core/model';
import { answerQuery, lookForInterruption, ModelData, ROWS_BETWEEN_LOOKS } from '@crease/core/query';
import { omittedConstraints, releasedTables } from '@crease/core/release';
import { readSpecOf, tableLoader } from '@crease/core/sources';
import { toText } from '@crease/core/values';

import { parquetType } from '../rowsParquet.ts';
import { readFileTable, readHead } from '../sources/fileTable.ts';
import type { ReleaseOrder, TableContents } from './contents.ts';
import { contentsOf, sumsOf } from './contents.ts';
import type { PlanItem, ReleaseOutcome, ReleasePlan } from './plan.ts';
import { ProofError, TargetError } from './plan.ts';
import { askBoth, compareTable } from './proof.ts';
import { isRunning } from './running.ts';

/** How a folder's tables are written. */
export type FolderForm = 'parquet' | 'csv';

const POINTER = 'current.json';
const RECORD = 'crease-release.json';
const LOCK = '.crease-lock';

/** What a release of a folder says of itself; `current.json` says which one is current. */
interface FolderRecord {
  readonly release: number;
  readonly model: string;
  readonly revision: number | null;
  readonly digest: string;
  readonly author: string | null;
  readonly at: string;
  readonly rows: number;
  readonly version: string;
  readonly tables: readonly {
    readonly name: string;
    readonly file: string;
    readonly rows: number;
    readonly digest: string;
    /** Of the file's bytes. */
    readonly bytes: string;
  }[];
  readonly document: string;
}

interface Found {
  /** The number of the current release; 0 for none. */
  readonly release: number;
  readonly record: FolderRecord | undefined;
}

/** What a release to a folder would do. Nothing is written. */
export const planFolder = (folder: string, form: FolderForm, order: ReleaseOrder): ReleasePlan =>
  makePlan(folder, form, order).plan;

/**
 * Releases to a folder as `releases/N`, written beside its place, read back, compared and moved there; then
 * `current.json` is replaced. A kill leaves the release of before, and leftovers that the next one removes.
 * Throws TargetError where the plan has refusals or another release is under way, ProofError where what is
 * read back answers otherwise.
 */
export async function releaseToFolder(
  folder: string,
  form: FolderForm,
  order: ReleaseOrder,
): Promise<ReleaseOutcome> {
  const begun = performance.now();
  const first = makePlan(folder, form, order);
  if (first.plan.refusals.length > 0) throw new TargetError(first.plan.refusals.join('; '));
  mkdirSync(join(folder, 'releases'), { recursive: true });
  const unlock = lock(folder);
  let draft: string | undefined;
  try {
    removeLeftovers(folder);
    // As it is now that nobody else releases.
    const { plan, contents, found } = makePlan(folder, form, order);
    const place = join(folder, 'releases', String(plan.release));
    draft = `${place}.tmp`;
    mkdirSync(draft);
    let rows = 0;
    for (const [i, table] of contents.entries()) {
      const item = plan.items[i]!;
      order.tell(item.object);
      const name = fileOf(table.table, form);
      const isKept = item.action === 'keep';
      if (isKept) linkSync(join(folder, 'releases', String(found.release), name), join(draft, name));
      else if (form === 'csv') writeCsv(join(draft, name), table);
      else writeParquet(join(draft, name), table);
      if (!isKept) rows += table.rowCount;
    }
    order.tell('proof');
    const proof = await prove(draft, form, order, contents);
    if (proof.differences.length > 0) throw new ProofError(proof);
    describe(draft, form, order, contents, plan.release);
    renameSync(draft, place);
    writeWhole(join(folder, POINTER), {
      crease: VERSION,
      release: plan.release,
      path: `releases/${plan.release}`,
    });
    return { plan, proof, rows, seconds: (performance.now() - begun) / 1000 };
  } finally {
    // Nothing where it has been moved to its place.
    if (draft !== undefined) rmSync(draft, { recursive: true, force: true });
    unlock();
  }
}

const fileOf = ({ name }: Pick<Table, 'name'>, form: FolderForm): string =>
  `${name.replace(/[^\p{L}\p{N}_-]/gu, '_')}.${form}`;

function makePlan(
  folder: string,
  form: FolderForm,
  order: ReleaseOrder,
): { plan: ReleasePlan; contents: TableContents[]; found: Found } {
  const { data, claims } = order;
  const contents = contentsOf(data);
  const refusals: string[] = [];
  const found = foundIn(folder, refusals);
  const drift: string[] = [];
  const had = found.record?.tables ?? [];
  const items = contents.map(({ table, rowCount, digest }): PlanItem => {
    const name = fileOf(table, form);
    const before = had.find((t) => t.file === name);
    const object = `file ${name}`;
    const place = join(folder, 'releases', String(found.release), name);
    const isThere = before !== undefined && existsSync(place);
    const isTouched = isThere && bytesDigest(place) !== before.bytes;
    if (before && (!isThere || isTouched)) drift.push(`${name} ${isThere ? 'was changed' : 'is gone'}`);
    if (isThere && !isTouched && before.digest === digest) return { object, action: 'keep', sql: [] };
    return { object, action: before ? 'replace' : 'create', sql: [], rows: rowCount };
  });
  const gone = had.filter((t) => !contents.some((c) => fileOf(c.table, form) === t.file));
  if (order.definitionsOnly)
    refusals.push('a folder has no definitions apart from its rows: release it without --definitions');
  if (order.parts.length > 0)
    refusals.push('a folder has whole tables; those that did not change are not written again');
  const double = contents.find(
    (c, i) => contents.findIndex((d) => fileOf(c.table, form) === fileOf(d.table, form)) !== i,
  );
  if (double) refusals.push(`two tables would be written to ${fileOf(double.table, form)}: rename one`);
  return {
    plan: {
      target: folder,
      release: found.release + 1,
      items: [
        ...items,
        ...gone.map(({ file, rows }): PlanItem => ({
          object: `file ${file}`,
          action: 'drop',
          sql: [],
          loses: `${rows} rows, which stay in release ${found.release}`,
        })),
      ],
      drift,
      refusals,
      omitted: omittedConstraints(data.model, claims).told,
      notes: [],
    },
    contents,
    found,
  };
}

/** The current release of a folder. What holds anything without a record of Crease is refused. */
function foundIn(folder: string, refusals: string[]): Found {
  const nothing: Found = { release: 0, record: undefined };
  if (!existsSync(folder)) return nothing;
  const pointer = join(folder, POINTER);
  const names = readdirSync(folder).filter((name) => name !== LOCK);
  if (!existsSync(pointer)) {
    // A first release that was killed leaves an empty folder of releases.
    const isOurs = names.every((name) => name === 'releases') && onlyLeftovers(folder);
    if (!isOurs) refusals.push(`${folder} holds files without a record of Crease: choose another folder`);
    return nothing;
  }
  try {
    const { release, crease } = JSON.parse(readFileSync(pointer, 'utf8')) as {
      release?: unknown;
      crease?: unknown;
    };
    if (typeof release !== 'number' || typeof crease !== 'string')
      throw new SyntaxError('no record of Crease');
    const record = join(folder, 'releases', String(release), RECORD);
    return {
      release,
      record: existsSync(record) ? (JSON.parse(readFileSync(record, 'utf8')) as FolderRecord) : undefined,
    };
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
    refusals.push(`${pointer} is no record of Crease: choose another folder`);
    return nothing;
  }
}

const onlyLeftovers = (folder: string): boolean => {
  const releases = join(folder, 'releases');
  return !existsSync(releases) || readdirSync(releases).every((name) => /^\d+(\.tmp)?$/.test(name));
};

/** Takes the folder for one release; gives what ends that. */
function lock(folder: string): () => void {
  const file = join(folder, LOCK);
  for (let tries = 0; ; tries++) {
    try {
      writeFileSync(file, String(process.pid), { flag: 'wx' });
      return () => rmSync(file, { force: true });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      const pid = Number(readFileSync(file, 'utf8'));
      if (tries > 0 || (Number.isInteger(pid) && pid > 0 && isRunning(pid)))
        throw new TargetError(`${folder} is being released to by process ${pid}: wait until it has ended`);
      rmSync(file, { force: true });
    }
  }
}

/** What stopped releases left: drafts, and releases that never became current. */
function removeLeftovers(folder: string): void {
  const { release } = foundIn(folder, []);
  const releases = join(folder, 'releases');
  for (const name of readdirSync(releases))
    if (name.endsWith('.tmp') || Number(name) > release) rmSync(join(releases, name), { recursive: true });
}

const ROWS_AT_ONCE = 1 << 16;

function writeCsv(file: string, { columns, rowCount }: TableContents): void {
  const texts = columns.map((c) => columnValues(c).map((v) => (v === null ? null : toText(v, c.type))));
  const descriptor = openSync(file, 'w');
  try {
    writeSync(descriptor, csvLine(columns.map((c) => c.name)));
    for (let from = 0; from < rowCount; from += ROWS_AT_ONCE) {
      lookForInterruption();
      const count = Math.min(ROWS_AT_ONCE, rowCount - from);
      const lines = Array.from({ length: count }, (_, i) =>
        csvLine(columns.map((c, k) => emptyApart(texts[k]![c.codes[from + i]!]!))),
      );
      writeSync(descriptor, lines.join('').replaceAll(EMPTY_TEXT, '""'));
    }
  } finally {
    closeSync(descriptor);
  }
}

/** The empty text is quoted, so that it is told from null. */
const EMPTY_TEXT = '\u{f8ff}\u{f8fe}';
const emptyApart = (text: string | null): string | null => (text === '' ? EMPTY_TEXT : text);

function writeParquet(file: string, { columns, rowCount }: TableContents): void {
  const made = columns.map((column) => {
    const { element, of } = parquetType(column.name, column.type);
    return {
      element,
      codes: column.codes,
      values: columnValues(column).map((v) => (v === null ? null : of(v))),
    };
  });
  const writer = new ParquetWriter({
    writer: fileWriter(file),
    schema: [{ name: 'root', num_children: made.length }, ...made.map(({ element }) => element)],
  });
  const group = ROWS_BETWEEN_LOOKS * Math.max(1, Math.floor((1 << 20) / ROWS_BETWEEN_LOOKS));
  for (let from = 0; from === 0 || from < rowCount; from += group) {
    lookForInterruption();
    const to = Math.min(rowCount, from + group);
    writer.write({
      columnData: made.map(({ element, codes, values }) => ({
        name: element.name,
        data: Array.from(codes.subarray(from, to), (code) => values[code]),
      })),
      rowGroupSize: group,
    });
  }
  writer.finish();
}

/** Reads what was written, and asks it the same questions as what is here. */
async function prove(
  draft: string,
  form: FolderForm,
  { data }: ReleaseOrder,
  contents: readonly TableContents[],
) {
  const read = new Map<string, TableData>();
  const model = filed(data.model, form);
  for (const { table } of contents) {
    const there = model.tables.find((t) => t.name === table.name)!;
    read.set(table.name, await readBack(join(draft, fileOf(table, form)), there));
  }
  const back = new ModelData(
    model,
    tableLoader(
      model,
      data.today,
      (table) => read.get(table.name)!,
      undefined,
      () => false,
    ),
    data.today,
  );
  const differences = contents.flatMap((c) => {
    const rows = read.get(c.table.name)!;
    const stored = c.columns.filter((column) => rows.columns.has(column.name.toLowerCase()));
    const sums = sumsOf([...rows.columns.values()]);
    return compareTable({ ...c, columns: stored }, { rows: rows.rowCount, sums });
  });
  const asked = await askBoth(data, (query) => answerQuery(back, query));
  return { tables: contents.length, ...asked, differences: [...differences, ...asked.differences] };
}

/** The model over the files of a release: all columns that are not worked out are read from there. */
function filed(model: Model, form: FolderForm): Model {
  const tables = releasedTables(model).map((table): Table => ({
    ...table,
    source: { file: fileOf(table, form) },
    columns: table.columns.map(({ sourceName: _, pattern: __, ...column }) => column),
  }));
  return { ...model, tables };
}

async function readBack(file: string, table: Table): Promise<TableData> {
  if (file.endsWith('.parquet')) {
    const { readParquetTable } = await import('../sources/parquetTable.ts');
    return readParquetTable(file, table);
  }
  const { head, whole } = readHead(file);
  const spec = readSpecOf(table, { file, delimiter: ',', encoding: 'utf-8' }, head, whole);
  return readFileTable(file, spec);
}

/** Writes what others can read the files by, and the record. */
function describe(
  draft: string,
  form: FolderForm,
  order: ReleaseOrder,
  contents: readonly TableContents[],
  release: number,
): void {
  const { data, document, now, author, revision } = order;
  const { model } = data;
  const omitted = omittedConstraints(model, order.claims);
  const file = (table: Pick<Table, 'name'>) => fileOf(table, form);
  writeWhole(join(draft, 'datapackage.json'), dataPackage(model, file, now, omitted));
  if (form === 'csv') writeWhole(join(draft, 'csv-metadata.json'), tableMetadata(model, file, omitted));
  const record: FolderRecord = {
    release,
    model: model.name,
    revision,
    digest: createHash('sha256').update(document).digest('hex'),
    author,
    at: now.toISOString(),
    rows: contents.reduce((sum, c) => sum + c.rowCount, 0),
    version: VERSION,
    tables: contents.map(({ table, rowCount, digest }) => ({
      name: table.name,
      file: file(table),
      rows: rowCount,
      digest,
      bytes: bytesDigest(join(draft, file(table))),
    })),
    document,
  };
  writeWhole(join(draft, RECORD), record);
}

const bytesDigest = (file: string): string =>
  createHash('sha256').update(readFileSync(file)).digest('base64url');

/** Writes a file so that it is there whole or not at all. */
function writeWhole(file: string, content: object): void {
  const draft = `${file}.tmp`;
  writeFileSync(draft, `${JSON.stringify(content, null, 2)}\n`);
  renameSync(draft, file);
}
