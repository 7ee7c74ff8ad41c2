import type { GroupedPlace } from '../databases/grouped.ts';

/**
 * A model at a revision and on versions of its rows, as it travels to threads: the model as its document, the
 * rows stay in the workspace file.
 */
export interface ModelVersion {
  readonly workspace: string;
  readonly modelId: number;
  readonly revision: number;
  readonly document: string;
  /**
   * Versions of stored rows by source key: with the revision, the key of everything that is kept between
   * tasks.
   */
  readonly versions: Readonly<Record<string, string>>;
  /** The day as of which it is asked, where the model names none, in ISO 8601. */
  readonly day: string;
  /** By connection, where databases are of whose tables groups of rows are asked for. */
  readonly grouped?: Readonly<Record<string, GroupedPlace>>;
}
