import type { KeepRule } from '../store/index.ts';
import type { ListedClaim as Listed } from '@crease/core/claims';
import type { TextOrder } from '@crease/core/query';
import type { MessagePort } from 'node:worker_threads';
import type { AskedCell, Hierarchy, Query } from '@crease/core/model';
import type { Verdict } from '@crease/core/claims';
import type { ReferencePattern } from '@crease/core/propose';
import type { FileEncoding } from '@crease/core/reading';
import type { ColumnTask } from '../intake/encodeColumn.ts';
import type { PiecesTask } from '../intake/pieces.ts';
import type { TableName } from '../databases/reader.ts';
import type { SqliteDraw } from '../databases/sqliteFile.ts';
import type { SettleOrder } from '../intake/settle.ts';

/** What worker threads are asked to do. Models travel as documents, rows stay in the workspace file. */
export interface OnModel {
  readonly workspace: string;
  readonly modelId: number;
  readonly revision: number;
  readonly document: string;
  /** Versions of stored rows by source key: with the revision, the key of everything that is kept between tasks. */
  readonly versions: Readonly<Record<string, string>>;
  /** The day as of which it is asked, where the model names none, in ISO 8601. */
  readonly day: string;
}

export interface End {
  readonly table: string;
  readonly columns: readonly string[];
}

type TriedStep = Readonly<Record<string, unknown>>;

export type Task =
  | { readonly kind: 'prune'; readonly workspace: string; readonly modelId: number; readonly keep: KeepRule }
  | ({ readonly kind: 'query'; readonly query: unknown; readonly texts: TextOrder } & OnModel)
  | ({ readonly kind: 'trace'; readonly query: Query; readonly cell: AskedCell } & OnModel)
  | ({ readonly kind: 'sql'; readonly query: unknown; readonly dialect: 'sqlite' | 'postgresql' } & OnModel)
  | ({ readonly kind: 'profile' } & OnModel)
  | ({ readonly kind: 'propose'; readonly pattern?: ReferencePattern | undefined } & OnModel)
  | ({ readonly kind: 'types' } & OnModel)
  | ({ readonly kind: 'stars' } & OnModel)
  | ({ readonly kind: 'briefs' } & OnModel)
  | ({ readonly kind: 'formula'; readonly formula: string; readonly name?: string } & OnModel)
  | ({ readonly kind: 'column-formula'; readonly table: string; readonly formula: string } & OnModel)
  | ({
      readonly kind: 'browse';
      readonly hierarchy: string | Hierarchy;
      readonly path: readonly (null | boolean | number | string)[];
    } & OnModel)
  | ({ readonly kind: 'match'; readonly from: End; readonly to: End } & OnModel)
  | ({ readonly kind: 'levels'; readonly hierarchy: string | Hierarchy } & OnModel)
  | ({ readonly kind: 'find-levels'; readonly table: string } & OnModel)
  | ({ readonly kind: 'steps'; readonly table: string; readonly steps: readonly TriedStep[] } & OnModel)
  | ({
      readonly kind: 'step-rows';
      readonly table: string;
      readonly steps: readonly TriedStep[];
      readonly place: number;
      readonly offset: number;
      readonly count: number;
    } & OnModel)
  | ({ readonly kind: 'columns'; readonly table: string } & OnModel)
  | ({
      readonly kind: 'rows';
      readonly table: string;
      readonly offset: number;
      readonly count: number;
    } & OnModel)
  | ({ readonly kind: 'values'; readonly column: string; readonly search: string } & OnModel)
  /**
   * Judges claims whose basis is not among the known ones; tells each batch through the port. `stop[0]` not 0 ends it early. Two threads that
   * judge together share `taken`: claims taken in all, from the front, and from the back.
   */
  | ({
      readonly kind: 'judge';
      readonly known: Readonly<Record<string, { readonly basis: string }>>;
      /** Names of what somebody looks at. */
      readonly interest: readonly string[];
      readonly taken: Int32Array;
      readonly fromBack: boolean;
      readonly port: MessagePort;
      readonly stop: Int32Array;
    } & OnModel)
  /** Ways out of broken claims, by their judgements. */
  | ({ readonly kind: 'remedies'; readonly broken: Readonly<Record<string, unknown>> } & OnModel)
  /** Tells what another model would do to the claims: `document` is the model with an edit that is not made. */
  | ({
      readonly kind: 'try';
      readonly known: Readonly<
        Record<string, { readonly basis: string; readonly verdict: Verdict; readonly against: number }>
      >;
    } & OnModel)
  /** Asks a SQLite file. */
  | { readonly kind: 'sqlite'; readonly file: string; readonly ask: 'version' | 'tables' | 'rights' }
  | { readonly kind: 'sqlite'; readonly file: string; readonly ask: 'about'; readonly table: TableName }
  | { readonly kind: 'sqlite-draw'; readonly draw: SqliteDraw }
  /** Brings rows that have been read to where they belong. */
  | { readonly kind: 'settle'; readonly workspace: string; readonly order: SettleOrder }
  /** Rewrites a file as UTF-8. */
  | {
      readonly kind: 'transcode';
      readonly file: string;
      readonly encoding: FileEncoding;
      readonly to: string;
      readonly shared: Int32Array;
    }
  /** Reads pieces of a file. */
  | { readonly kind: 'pieces'; readonly task: PiecesTask }
  /** Encodes a column of a file whose pieces have been read, and writes it to a table that is being loaded. */
  | {
      readonly kind: 'column';
      readonly task: ColumnTask;
      readonly into: { workspace: string; tableId: number; ordinal: number };
    };

/** What a judging worker tells: all claims first and how many of them are to be judged, then verdicts. */
export type JudgeMessage =
  | {
      readonly kind: 'listed';
      readonly claims: readonly ListedClaim[];
      readonly open: number;
    }
  | {
      readonly kind: 'judged';
      readonly verdicts: readonly { claim: string; basis: string; judgement: unknown; remedies: unknown }[];
    };

/** A claim of a revision with what its verdict rests on: a known verdict stands where it rests on the same. */
export type ListedClaim = Listed & { readonly basis: string };

/** The last message on a task's port. */
export const END = 'end';
