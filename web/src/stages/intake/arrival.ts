import { formatType } from '@crease/core/values';
import type {
  IntakeOrder,
  JobState,
  LoadMode,
  LoadResult,
  PreviewRequest,
  RecipeState,
  UploadState,
} from '@crease/contract';
import type { ModelColumn, Table } from '@crease/core/model';
import type { PreviewUse } from '@crease/core/propose';
import { nameLikeness, previewUse } from '@crease/core/propose';
import type { ColumnPreview, Dialect, FilePreview } from '@crease/core/reading';
import { fileOf, freeName, isTableOf } from '@crease/core/model';
import type { Notice } from '../../state/liveModel.ts';

/** How a column's values are written. */
export interface Written {
  readonly pattern?: string | undefined;
  readonly decimalComma?: boolean | undefined;
  readonly thousands?: string | undefined;
}

export interface ArrivingColumn extends Written {
  readonly place: number;
  readonly name: string;
  readonly fileName: string;
  readonly type: string;
  readonly taken: boolean;
  /** Whether somebody has said its type: then it is not guessed again. */
  readonly said: boolean;
  /** Whether its type is the one that the model has. */
  readonly known: boolean;
  /** Whether somebody has given its name. */
  readonly named: boolean;
  /** What it is to be used for, where somebody has said so; else what is proposed. */
  readonly use?: Use | undefined;
  /** Whether it stands for a column of the model whose name is merely like it. */
  readonly alike?: boolean;
}

export type Use = NonNullable<ModelColumn['use']>;

/** A file, or a table of a database, on its way in: coming, looked at, being stored, or refused. */
export interface Arrival {
  readonly key: string;
  /** What it is called, and its bytes; of a database's table those of a sample. */
  readonly file: Pick<File, 'name' | 'size'>;
  readonly name: string;
  readonly state: 'coming' | 'ready' | 'storing' | 'wrong';
  readonly progress: number;
  readonly cancel: AbortController;
  readonly upload?: UploadState;
  readonly preview?: FilePreview;
  readonly columns: readonly ArrivingColumn[];
  /** Corrections to what was guessed. */
  readonly dialect?: Partial<Pick<Dialect, 'delimiter' | 'quote' | 'header' | 'skip' | 'encoding'>>;
  readonly nulls?: readonly string[];
  readonly misfits: 'null' | 'leave out' | 'stop';
  /** What happens where a blocking claim would be broken. */
  readonly broken: 'store' | 'stop';
  /** What happens to references whose members are not in their dimension. */
  readonly unknown: 'list' | 'stop' | 'add';
  /** What becomes of the rows that are there. */
  readonly mode: LoadMode;
  /** The name under which the way it is loaded is kept. */
  readonly recipe?: string;
  /** What a dry run has told. */
  readonly tried?: LoadResult;
  /** The part of the table's rows that the file is; undefined for all of them. */
  readonly part?: string;
  /** Of a table kept in parts those whose rows are taken; undefined for all. */
  readonly parts?: readonly string[];
  readonly fault?: string;
}

/** Something that begins to come in. */
export const newArrival = (file: Arrival['file'], name: string): Arrival => ({
  key: crypto.randomUUID(),
  file,
  name,
  state: 'coming',
  progress: 0,
  cancel: new AbortController(),
  columns: [],
  misfits: 'null',
  broken: 'store',
  unknown: 'list',
  mode: 'replace',
});

/** What rows of a table take the place of unless somebody says otherwise. */
export const usualMode = (existing: Pick<Table, 'partition'> | undefined): LoadMode =>
  existing?.partition ? 'parts' : 'replace';

/** What somebody has said of how a file is laid out. */
export const saidOf = ({ dialect, nulls }: Arrival): Pick<Arrival, 'dialect' | 'nulls'> => ({
  ...(dialect ? { dialect } : {}),
  ...(nulls ? { nulls } : {}),
});

/** Whether it can be stored: something of it is taken, under names that are none twice. */
export const isReady = (a: Arrival): boolean =>
  a.state === 'ready' && a.columns.some((c) => c.taken) && namingFault(a.columns) === undefined;

/**
 * What is on its way in once a load of some of it has ended: what is stored is gone, else it is there again.
 */
export const afterLoad = (
  all: readonly Arrival[],
  loaded: readonly Arrival[],
  { state, faults }: JobState,
): Arrival[] => {
  const was = new Set(loaded.map((a) => a.key));
  if (state === 'done') return all.filter((a) => !was.has(a.key));
  return all.map((a) =>
    was.has(a.key) ? { ...a, state: 'ready', ...(faults[0] ? { fault: faults.join(' ') } : {}) } : a,
  );
};

/** An arrival with what a dry run has told of it. */
export const afterTry = (a: Arrival, { loads, faults }: JobState): Arrival => ({
  ...a,
  state: 'ready',
  ...(loads?.[0] ? { tried: loads[0] } : {}),
  ...(faults[0] ? { fault: faults.join(' ') } : {}),
});

/** What is said at the foot of a load that has ended. */
export const toldOf = ({ id: job, state, detail, faults }: JobState): Notice =>
  state === 'done'
    ? { tone: 'plain', text: `Imported: ${detail}`, job }
    : state === 'failed'
      ? { tone: 'wrong', text: faults.join('\n'), job }
      : { tone: 'plain', text: 'Cancelled: nothing was stored', job };

export const tableName = (file: string): string => file.replace(/(\.(csv|tsv|txt|parquet))?(\.gz)?$/i, '');

/** What is asked of the server for a preview: all that somebody has said of the file. */
export const correctionsOf = ({ dialect, nulls, columns }: Arrival): PreviewRequest => ({
  ...(dialect ? { dialect } : {}),
  ...(nulls ? { nulls: [...nulls] } : {}),
  columns: columns.filter((c) => c.said).map(readingOf),
});

const readingOf = ({ place, type, pattern, decimalComma, thousands }: ArrivingColumn) => ({
  place,
  type,
  ...(pattern ? { pattern } : {}),
  ...(decimalComma === undefined ? {} : { decimalComma }),
  ...(thousands === undefined ? {} : { thousands }),
});

/**
 * Columns as a new preview shows them: what somebody has said stays, as far as the file still has the column.
 */
export function arrivingColumns(
  preview: FilePreview,
  before: readonly ArrivingColumn[],
  existing: Table | undefined,
): ArrivingColumn[] {
  const known = new Map(before.map((c) => [c.place, c]));
  const left = (existing?.columns ?? []).filter((c) => c.formula === undefined);
  const take = (at: number) => (at < 0 ? undefined : left.splice(at, 1)[0]);
  // A column that the model knows by another name keeps it.
  const byName = preview.columns.map((c) =>
    take(left.findIndex((m) => (m.sourceName ?? m.name).toLowerCase() === c.fileName.toLowerCase())),
  );
  const byLikeness = preview.columns.map((c, i) =>
    byName[i] ? undefined : take(mostAlike(c.fileName, left)),
  );
  return preview.columns.map((c: ColumnPreview, i): ArrivingColumn => {
    const old = known.get(c.place);
    const same = old?.fileName === c.fileName ? old : undefined;
    const had = byName[i] ?? byLikeness[i];
    return {
      place: c.place,
      name: same?.named ? same.name : (had?.name ?? c.name),
      named: same?.named ?? false,
      fileName: c.fileName,
      type: formatType(c.type),
      ...(c.pattern ? { pattern: c.pattern } : {}),
      ...(c.decimalComma ? { decimalComma: true } : {}),
      ...(c.thousands === undefined ? {} : { thousands: c.thousands }),
      taken: same?.taken ?? true,
      said: same?.said ?? false,
      known: same?.known ?? false,
      ...(same?.use ? { use: same.use } : {}),
      ...(byLikeness[i] && !same?.named ? { alike: true } : {}),
    };
  });
}

/** From so much likeness on a name is taken for another. */
const ALIKE = 0.8;

function mostAlike(name: string, columns: readonly ModelColumn[]): number {
  let [best, at] = [ALIKE, -1];
  columns.forEach((c, i) => {
    const likeness = nameLikeness(name, c.sourceName ?? c.name);
    if (likeness >= best) [best, at] = [likeness, i];
  });
  return at;
}

/** What a column would be used for: what somebody has said, or what its preview tells. */
export const useOf = (column: ArrivingColumn, preview: ColumnPreview, rows: number): PreviewUse => {
  const proposed = previewUse({ ...preview, name: column.name }, column.type, rows);
  if (column.use === undefined || column.use === proposed.use) return proposed;
  return {
    use: column.use,
    ...(column.use === 'quantity' ? { aggregate: 'sum' as const } : {}),
    reason: 'as you say',
  };
};

/** How the file of a table that is loaded again was laid out. */
export function laidOutAsBefore(table: Table | undefined): Pick<Arrival, 'dialect' | 'nulls'> {
  const source = fileOf(table);
  if (!source) return {};
  const { delimiter, quote, header, skip, encoding, nulls } = source;
  return {
    dialect: {
      ...(delimiter === undefined ? {} : { delimiter }),
      ...(quote === undefined ? {} : { quote }),
      ...(header === undefined ? {} : { header }),
      ...(skip === undefined ? {} : { skip }),
      ...(encoding === undefined ? {} : { encoding }),
    },
    ...(nulls ? { nulls } : {}),
  };
}

/**
 * The columns of a file that is loaded again, with the types and the ways of writing that the model has; what
 * somebody has said of a column since stays.
 */
export function typedAsBefore(
  table: Table,
  preview: FilePreview,
  before: readonly ArrivingColumn[] = [],
): ArrivingColumn[] {
  const source = fileOf(table);
  return arrivingColumns(preview, before, table).map((c): ArrivingColumn => {
    const had = table.columns.find((m) => m.formula === undefined && m.name === c.name);
    if (!had || (c.said && !c.known)) return c;
    const isNumber = /^(integer|decimal|double)/.test(had.type);
    return {
      ...c,
      type: had.type,
      pattern: had.pattern,
      ...(isNumber && source
        ? { decimalComma: source.decimalComma ?? false, thousands: source.thousands }
        : {}),
      said: true,
      known: true,
    };
  });
}

/** The order to store a file. */
export const orderOf = (a: Arrival): IntakeOrder => ({
  upload: a.upload!.id,
  name: a.name,
  dialect: a.preview!.dialect,
  fields: a.preview!.columns.length,
  nulls: [...a.preview!.nulls],
  misfits: a.misfits,
  broken: a.broken,
  unknown: a.unknown,
  columns: a.columns.flatMap((c, i) => {
    if (!c.taken) return [];
    const { use, aggregate } = useOf(c, a.preview!.columns[i]!, a.preview!.rows);
    return [
      { name: c.name, fileName: c.fileName, ...readingOf(c), use, ...(aggregate ? { aggregate } : {}) },
    ];
  }),
  mode: a.mode,
  ...(a.part === undefined || a.mode !== 'replace' ? {} : { part: a.part }),
  ...(a.parts === undefined ? {} : { parts: [...a.parts] }),
  ...(a.recipe === undefined || a.recipe.trim() === '' ? {} : { recipe: a.recipe.trim() }),
});

/**
 * An arrival as a recipe says it is to be loaded; what the file itself must tell is asked for by a new
 * preview.
 */
export function byRecipe(arrival: Arrival, recipe: RecipeState): Arrival {
  const { dialect, nulls, misfits, broken, unknown, mode, part, parts, table, name } = recipe;
  const { delimiter, quote, header, skip, encoding } = dialect;
  const columns = arrival.columns.map((c): ArrivingColumn => {
    const said = recipe.columns.find((r) => r.fileName === c.fileName);
    if (!said) return { ...c, taken: false };
    const { pattern, decimalComma, thousands } = said;
    return {
      ...c,
      name: said.name,
      named: true,
      type: said.type,
      pattern,
      decimalComma,
      thousands,
      taken: true,
      said: true,
      known: false,
    };
  });
  return {
    ...arrival,
    name: table,
    columns,
    nulls,
    misfits,
    broken,
    unknown,
    mode,
    recipe: name,
    dialect: { delimiter, quote, header, encoding, ...(skip === undefined ? {} : { skip }) },
    ...(part === undefined ? {} : { part }),
    ...(parts === undefined ? {} : { parts }),
  };
}

/** What is wrong with the names of the columns that are taken, if anything. */
export function namingFault(columns: readonly ArrivingColumn[]): string | undefined {
  const names = columns.filter((c) => c.taken).map((c) => c.name.trim().toLowerCase());
  if (names.includes('')) return 'an included column has no name';
  const twice = names.find((name, i) => names.indexOf(name) !== i);
  return twice === undefined ? undefined : `two included columns are named ${twice}`;
}

/** Whether a preview has to be asked for again, since it was read otherwise than the model says. */
export const isReadOtherwise = (
  typed: readonly ArrivingColumn[],
  before: readonly ArrivingColumn[],
): boolean =>
  typed.some((c) => {
    const old = before.find((b) => b.place === c.place && b.fileName === c.fileName);
    return c.said && (old?.type !== c.type || old.pattern !== c.pattern || !old.said);
  });

/**
 * Tables of databases that have come, as arrivals. Those that the model has keep their names there; of two
 * schemas' tables of one name the second says its schema.
 */
export function arrivalsOf(
  uploads: readonly UploadState[],
  tables: readonly Table[],
  arrivals: readonly Arrival[],
  by: RecipeState | undefined,
): readonly Arrival[] {
  const named = new Set([...tables, ...arrivals].map((t) => t.name.toLowerCase()));
  return uploads.map((upload) => {
    const { origin } = upload;
    const held = origin && tables.find((t) => isTableOf(t, origin.connection, origin));
    const schema = named.has(upload.name.toLowerCase()) ? origin?.schema : undefined;
    const name = held?.name ?? (schema ? `${schema}_${upload.name}` : upload.name);
    named.add(name.toLowerCase());
    const file = {
      name: `${origin?.connection}: ${origin?.schema ? `${origin.schema}.` : ''}${origin?.table}`,
      size: upload.bytes,
    };
    const come = { ...newArrival(file, name), mode: usualMode(held), progress: 1, upload };
    return by ? byRecipe(come, by) : come;
  });
}

/** The arrival with another place for its rows: `table`, read as the model says, or a new one of its own. */
export function goingInto(arrival: Arrival, table: string | undefined, tables: readonly Table[]): Arrival {
  const name = table ?? freeName(tableName(arrival.file.name), tables);
  const there = tables.find((t) => t.name.toLowerCase() === name.toLowerCase());
  return {
    ...arrival,
    name,
    mode: usualMode(there),
    part: undefined,
    tried: undefined,
    columns: arrival.columns.map((c) => (c.known ? { ...c, said: false, known: false } : c)),
    ...laidOutAsBefore(there),
  };
}
