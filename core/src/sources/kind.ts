import type { TableData } from '../columns/index.ts';
import type { Model, Source, Table } from '../model/index.ts';
import type { StepSetting } from '../shape/index.ts';

/** What a source may know beside itself when it makes rows. */
export interface RowSetting extends StepSetting {
  readonly model: Model;
}

/**
 * One kind of place that rows come from, with everything that depends on it: a file each, listed in
 * `index.ts`.
 */
export interface SourceKind<S extends Source> {
  /** The field by which the model tells it from others. */
  readonly field: string;
  /**
   * The place outside of the model, as lineage names it; undefined where the rows come from tables of the
   * model.
   */
  place(source: S): string | undefined;
  /** Rows that need neither a file nor a database; without it the rows are brought in by a load. */
  rows?(table: Table, source: S, setting: RowSetting): TableData;
  /**
   * The source after a column of its table has another name; without it the column keeps its old name there
   * (`sourceName`).
   */
  renameColumn?(source: S, column: (name: string) => string): S;
  /** Whether steps can be put between the rows and the table. */
  readonly takesSteps: boolean;
}
