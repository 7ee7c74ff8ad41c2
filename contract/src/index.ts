import { z } from 'zod';
import { editSchema } from '@crease/core/edit';
import { cellSchema, columnSchema, hierarchySchema, querySchema } from '@crease/core/model';
import type { Model } from '@crease/core/model';
import type { JudgedClaim, Summary, Verdict } from '@crease/core/claims';
import type { Answer, CellTrace, HierarchyFacts } from '@crease/core/query';
import type { FilePreview } from '@crease/core/reading';
import { NAMING_RULES } from '@crease/core/reading';
import type { Profile } from '@crease/core/storage';
import type { Proposal } from '@crease/core/propose';
import type { ReadProblem } from '@crease/core/columns';
import type { LoadChange, LoadCounts } from '@crease/core/load';
import type { JoinRemedy, StepState, StepTrace } from '@crease/core/shape';
import { parseType } from '@crease/core/values';

/** Requests from the screens to the server: each body is checked against its schema, unknown fields included. */
export const createModelRequest = z.strictObject({
  title: z.string().trim().min(1, 'a model needs a title').max(200),
});
export const importModelRequest = z.strictObject({ text: z.string().min(1) });
/** A model file that is read into the model that it came from. */
export const importIntoRequest = z.strictObject({ base: z.int(), text: z.string().min(1) });
export const editRequest = z.strictObject({
  /** The revision that the edit was made on; any other is a conflict. */
  base: z.int(),
  edit: editSchema,
  /** What the history says of it. */
  says: z.string().min(1).max(300),
});
export const stepRequest = z.strictObject({ base: z.int() });
export const queryRequest = z.strictObject({
  query: querySchema,
  perspective: z.string().optional(),
  /** How texts are sorted: `query` of the command line keeps code points, screens sort numbers in texts by value. */
  texts: z.enum(['code points', 'counting']).default('code points'),
});
/** Asks why a cell of an answer is what it is. */
export const traceRequest = z.strictObject({ query: querySchema, cell: cellSchema });
export type TraceState = CellTrace;
/** Asks for the SQL that answers a query. */
export const sqlRequest = z.strictObject({ query: querySchema, dialect: z.enum(['sqlite', 'postgresql']) });
export interface SqlState {
  readonly sql: string;
}
/** A column that is derived by a formula of its row, as somebody tries it. */
export const columnFormulaRequest = z.strictObject({ table: z.string(), formula: z.string().max(20_000) });
export const formulaRequest = z.strictObject({
  formula: z.string().max(20_000),
  name: z.string().optional(),
});
const dialectSchema = z.strictObject({
  delimiter: z.string().length(1),
  quote: z.string().max(1),
  header: z.boolean(),
  skip: z.int().min(0).max(1000).optional(),
  encoding: z.enum(['utf-8', 'utf-16le', 'utf-16be', 'windows-1252']),
  newline: z.enum(['\n', '\r']),
});
/** How the values of a column are written, and what they are. */
const readingFields = {
  /** Its field in a record, from 0. */
  place: z.int().min(0),
  type: z.string().refine((type) => parseType(type) !== undefined, { error: 'no type of the model' }),
  pattern: z.string().max(100).optional(),
  decimalComma: z.boolean().optional(),
  thousands: z.string().length(1).optional(),
};
const nullTexts = z.array(z.string().max(1000)).max(100);
/** What somebody says of a file instead of what is guessed. */
export const previewRequest = z.strictObject({
  dialect: dialectSchema.partial().optional(),
  nulls: nullTexts.optional(),
  columns: z.array(z.strictObject(readingFields)).optional(),
});
/** Rows of before are kept for undo: the last versions of a table or those of the last days, whichever is more, under a cap. */
export const keepSchema = z.strictObject({
  versions: z.int().min(0).max(1000),
  days: z.int().min(0).max(3650),
  bytes: z.int().min(0),
});
export const settingsSchema = z.strictObject({ naming: z.enum(NAMING_RULES), keep: keepSchema.optional() });
export const LOAD_MODES = ['replace', 'add', 'update', 'add quantities'] as const;
export type LoadMode = (typeof LOAD_MODES)[number];

/** How a table is read and what becomes of its rows: all that a load is told but for the file. */
const loadFields = {
  name: z.string().trim().min(1, 'a table needs a name').max(100),
  dialect: dialectSchema,
  /** Fields of a record: columns that are left out count. */
  fields: z.int().min(1).optional(),
  nulls: nullTexts.default(['']),
  columns: z
    .array(
      z.strictObject({
        name: z.string().min(1),
        fileName: z.string(),
        ...readingFields,
        place: readingFields.place.optional(),
        /** What a new column is used for; what people have said of one that is there stays. */
        use: columnSchema.shape.use,
        aggregate: columnSchema.shape.aggregate,
      }),
    )
    .min(1, 'choose at least one column'),
  /** What happens where a value is not of its column's type: it is stored as null and listed, its row is left out and listed, or nothing is stored. */
  misfits: z.enum(['null', 'leave out', 'stop']).default('null'),
  /** The part of the table's rows that these take the place of, or are added as; without it they take the place of all. */
  part: z.string().trim().min(1, 'a part needs a name').max(200).optional(),
  /** Whether rows take the place of those that are there, are added, or are brought onto them by the table's key. */
  mode: z.enum(LOAD_MODES).default('replace'),
};
const recipeName = z.string().trim().min(1, 'a recipe needs a name').max(100);
/** Runs a recipe, as a command of the workspace's owner does beside a running server. */
export const runRecipeRequest = z.strictObject({
  recipe: recipeName,
  model: z.string().max(300).optional(),
  upload: z.string().max(100).optional(),
  dryRun: z.boolean().default(false),
});
export const intakeRequest = z.strictObject({
  /** Says what would happen, and stores nothing. */
  dryRun: z.boolean().default(false),
  tables: z
    .array(
      z.strictObject({
        upload: z.string(),
        ...loadFields,
        /** Keeps how it is loaded under that name. */ recipe: recipeName.optional(),
      }),
    )
    .min(1)
    .max(500),
});
export const recipeSchema = z.strictObject({
  ...loadFields,
  /** Of the recipe; `table` is what it loads. */
  name: recipeName,
  table: loadFields.name,
  /** A table of a database; without it a file is given each time. */
  origin: z
    .strictObject({ connection: z.string(), schema: z.string().optional(), table: z.string() })
    .optional(),
});
export type RecipeState = z.output<typeof recipeSchema>;
/** Steps of a derived table as somebody tries them, before they are kept. */
const triedSteps = z.array(z.record(z.string(), z.unknown())).min(1).max(200);
export const stepsRequest = z.strictObject({ table: z.string().min(1).max(200), steps: triedSteps });
export const stepRowsRequest = stepsRequest.extend({
  /** Of the step, from 1. */
  place: z.int().min(1),
  offset: z.int().min(0).default(0),
  count: z.int().min(1).max(1000).default(50),
});
/** Takes a calendar over from another model of the workspace. */
export const takeCalendarRequest = z.strictObject({
  base: z.int(),
  model: z.int(),
  table: z.string().min(1),
  how: z.enum(['link', 'copy']),
});

/** Calendars that models of one workspace share. */
export interface CalendarsState {
  /** Of other models, to be taken over. */
  offered: { model: number; title: string; table: string; day: string; rows: number | null }[];
  /** Own ones that follow another model's; null where the workspace has that model, or its calendar, no more. */
  links: { table: string; model: number | null; title: string; inStep: boolean }[];
  /** Other models whose calendars follow this one's. */
  followers: { table: string; model: number; title: string }[];
}

/** Asks what an edit would do to the claims. */
export const tryRequest = z.strictObject({ edit: editSchema });
/** What somebody looks at: its claims are judged first. */
export const interestRequest = z.strictObject({ names: z.array(z.string().max(500)).max(20) });
export const browseRequest = z.strictObject({
  /** By its path, or whole where it is only tried. */
  hierarchy: z.union([z.string(), hierarchySchema]),
  path: z.array(z.union([z.string(), z.number(), z.boolean(), z.null()])),
});

const end = z.strictObject({ table: z.string(), columns: z.array(z.string()).min(1).max(8) });
export const matchRequest = z.strictObject({ from: end, to: end });

const connectionName = z
  .string()
  .trim()
  .min(1, 'a connection needs a name')
  .max(60)
  .regex(/^[\p{L}\p{N}_ -]+$/u, 'a name of letters, digits, blanks, - and _');
/** A database that tables are read from. Without `user` it has the workspace's account; without `password` the one that is kept stays. */
export const connectionRequest = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('postgresql'),
    name: connectionName,
    host: z.string().trim().min(1, 'the host is missing').max(255),
    port: z.int().min(1).max(65535).default(5432),
    database: z.string().min(1, 'the database is missing').max(63),
    user: z.string().min(1).max(63).optional(),
    password: z.string().max(1000).optional(),
    /** Whether the password may be sent as it is to a server that asks for that. */
    clearPassword: z.boolean().optional(),
  }),
  z.strictObject({
    kind: z.literal('sqlite'),
    name: connectionName,
    file: z.string().trim().min(1, 'the file is missing').max(1000),
  }),
]);
/** The account of all connections that have none of their own. */
export const accountRequest = z.strictObject({
  user: z.string().trim().min(1).max(63),
  password: z.string().max(1000).optional(),
});
const databaseTable = z.strictObject({ schema: z.string().optional(), table: z.string().min(1) });
export const rightsRequest = z.strictObject({ tables: z.array(databaseTable).max(5000) });
export const drawRequest = z.strictObject({ tables: z.array(databaseTable).min(1).max(500) });

export type ConnectionRequest = z.input<typeof connectionRequest>;

/** A connection as screens see it: never with a password. */
export type ConnectionState =
  | {
      kind: 'postgresql';
      name: string;
      host: string;
      port: number;
      database: string;
      clearPassword?: boolean;
      /** Whose account it is asked as: its own, or the workspace's. Null where neither is there. */
      account: { user: string; own: boolean; hasPassword: boolean } | null;
    }
  | { kind: 'sqlite'; name: string; file: string };

export interface ConnectionsState {
  connections: ConnectionState[];
  account: { user: string; hasPassword: boolean } | null;
}

/** A table or view of a database. */
export interface DatabaseTable {
  schema: string | null;
  table: string;
  kind: 'table' | 'view';
  /** As far as the database knows without counting. */
  rows: number | null;
  columns: number;
  readable: boolean;
  /** Declared. */
  key: string[];
  references: { columns: string[]; schema: string | null; table: string; toColumns: string[] }[];
}

/** What an account may do beyond reading certain tables, as far as was looked, and the SQL for one that may not. */
export interface RightsState {
  account: string;
  excess: string[];
  /** Other tables that it can read, by schema and name. */
  beyond: string[];
  sql: string;
}

export interface TestState {
  /** What answered, by its own name and version. */
  server: string;
}

export type EditRequest = z.infer<typeof editRequest>;
export type IntakeRequest = z.infer<typeof intakeRequest>;
export type IntakeOrder = z.input<typeof intakeRequest>['tables'][number];
export type PreviewRequest = z.infer<typeof previewRequest>;
export type Settings = z.infer<typeof settingsSchema>;

/** Answers. */
export interface ModelSummary {
  id: number;
  name: string;
  title: string;
  tables: number;
  rows: number;
  changedAt: string;
  /** Why it cannot be read, where it cannot. */
  fault?: string;
}

/** What became of a table's rows, or with a dry run would become. */
export interface LoadResult {
  table: string;
  /** Coming rows. Without a key, rows that take the place of others are all new. */
  counts: LoadCounts;
  /** Rows that were there and are no more. */
  removed: number;
  /** Rows of the source that were left out and listed. */
  leftOut: number;
  /** Rows of the table afterwards, or of the part that was loaded. */
  rows: number;
  refused: ReadProblem[];
  changes: LoadChange[];
}

export interface LoadEntry {
  id: number;
  at: string;
  /** The revision before it and the one that it made, of a load that went well. */
  before?: number;
  revision?: number;
  /** When it was reverted. */
  reverted?: string;
  table: string;
  /** The file, or the table of a database. */
  source: string;
  recipe?: string;
  mode: LoadMode;
  outcome: 'done' | 'failed' | 'cancelled';
  message?: string;
  rows?: number;
  counts?: LoadCounts;
  removed?: number;
  leftOut?: number;
}

export interface LoadsState {
  recipes: RecipeState[];
  log: LoadEntry[];
  /** Rows of before that are kept for undo, and the rule by which they are. */
  kept: { versions: number; bytes: number };
  keep: z.infer<typeof keepSchema>;
}

/** What undo or redo would do. */
export interface UndoState {
  possible: boolean;
  /** Of the act that it takes back, or does again. */
  says: string;
  /** Tables whose rows it changes: how many there are, and how many then; null for none at all. */
  rows: { table: string; now: number | null; then: number | null }[];
  /** Why it cannot be done here. */
  reason?: string;
}

export interface StoredTable {
  /** The table's name in the model. */
  name: string;
  rows: number;
  bytes: number;
  /** Where rows were loaded in parts: each, in the order of loading. */
  parts?: { name: string; rows: number; loadedAt: string }[];
  /** Rows left out on intake. */
  problems: { line: number; column?: string; text?: string; message: string }[];
  loadedAt: string;
}

export interface ModelState {
  id: number;
  revision: { id: number; number: number; says: string; at: string; by: string };
  canUndo: boolean;
  canRedo: boolean;
  model: Model;
  stored: StoredTable[];
}

export interface HistoryEntry {
  by: string;
  id: number;
  number: number;
  says: string;
  at: string;
  isHead: boolean;
}

export interface ClaimsState {
  /** What failed, where the claims could not be judged; it can be tried again. */
  failure?: string;
  revision: number;
  /** Whether all claims of the revision have been judged. */
  done: boolean;
  claims: JudgedClaim[];
  summary: Summary;
  elapsedMs: number;
}

export interface UploadState {
  id: string;
  name: string;
  bytes: number;
  /** Where rows of a database come from. The bytes are then of a sample. */
  origin?: { connection: string; schema?: string; table: string; rows: number | null };
}

export interface PreviewState {
  upload: UploadState;
  preview: FilePreview;
}

export interface FormulaState {
  faults: { start: number; end: number; message: string }[];
  /** The result's type where the formula is sound. */
  type: string | null;
  /** The formula in canonical layout. */
  laidOut: string;
  measures: string[];
  columns: string[];
  /** Base tables of its aggregates. */
  bases: string[];
  /** Dimensions that reach all of them. */
  reachedBy: string[];
}

export interface ColumnFormulaState {
  faults: { start: number; end: number; message: string }[];
  type: string | null;
  laidOut: string;
  /** What it gives for the first rows, beside the columns that it uses. */
  columns: string[];
  /** Of those columns. */
  types: string[];
  rows: { used: (null | boolean | number | string)[]; gives: null | boolean | number | string }[];
  /** Of so many rows that it was worked out for: how many are null, and how many values differ. */
  looked: number;
  nulls: number;
  distinct: number;
}

export interface Members {
  level: string | null;
  members: {
    label: string | number | boolean | null;
    key: string | number | boolean | null;
    rows: number;
    children: number;
    parents?: string[];
  }[];
  more: number;
}

export const levelsRequest = z.strictObject({ hierarchy: z.union([z.string(), hierarchySchema]) });
export type LevelFacts = HierarchyFacts;

/** What an edit would do to the claims. */
export interface TryState {
  /** Claims whose verdict or count would be another; `before` is missing for a new claim. */
  changes: {
    id: string;
    says: string;
    weight: 'blocks' | 'warns';
    before?: { verdict: Verdict; against: number };
    after: { verdict: Verdict; against: number };
  }[];
  /** Claims that would be made no more. */
  gone: string[];
  /** Claims that there was no time to judge. */
  left: number;
}

export interface ReleaseState {
  ready: boolean;
  done: boolean;
  /** What failed, where the claims could not be judged. */
  failure?: string;
  /** Blocking claims without a verdict that a release needs. */
  unjudged: JudgedClaim[];
  blocking: JudgedClaim[];
  warning: JudgedClaim[];
  waived: JudgedClaim[];
}

export interface RowPage {
  columns: { name: string; type: string }[];
  rows: (null | boolean | number | string)[][];
  total: number;
}

/** What stands after each step, and ways out of what its joins do. */
export type StepsState = StepTrace & { remedies: { place: number; remedies: TriedRemedy[] }[] };
/** A way out, and what stands after the last step with it. */
export type TriedRemedy = JoinRemedy & { after: StepState };

export type QueryState = Answer & { elapsedMs: number };
export type ProfileState = Profile & { elapsedMs: number };
export type ProposalsState = { revision: number; proposals: Proposal[] };

/** A message for a person: what, where, what to do. */
export interface ErrorState {
  code: string;
  message: string;
  /** With `conflict`: the revision that is the head now. */
  revision?: number;
}

/** Events that the server sends to every browser that shows a model. */
export type LiveEvent =
  | { kind: 'revision'; revision: number; says: string; by: string }
  | { kind: 'claims'; revision: number; done: boolean; summary: Summary }
  | { kind: 'job'; job: JobState };

export interface JobState {
  id: string;
  says: string;
  state: 'running' | 'done' | 'failed' | 'cancelled';
  /** 0 to 1, as far as it is known. */
  progress: number;
  detail: string;
  /** Messages of a failed job. */
  faults: string[];
  /** Of a load that has ended, table by table. */
  loads?: LoadResult[];
  /** What went well and is to be looked at all the same. */
  warnings?: string[];
}
