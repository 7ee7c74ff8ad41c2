import type { DataType, Value } from '../values/index.ts';
import type { Goal, Model, Relationship, Table } from '../model/index.ts';
import type { FormulaChecker } from '../formula/index.ts';

/** A query as SQL, with the values of its numbered parameters and how to read its columns. */
export interface CompiledQuery {
  readonly sql: string;
  readonly parameters: readonly { readonly value: Value; readonly type: DataType }[];
  readonly columns: readonly { readonly name: string; readonly type: DataType }[];
  /** Tables that it reads, in lower case. */
  readonly tables: ReadonlySet<string>;
  /** The last so many columns say how rows meet the table of each member, in the order of the members. */
  readonly meetings: number;
  /** The first so many columns are members. */
  readonly members: number;
  /**
   * Whether its last column says (as 1) that the row is of what a top leaves over: its last member of `by` is
   * all of that.
   */
  readonly others: boolean;
  /** How many columns stand behind those of the measures, for what is told beside the answer. */
  readonly beside: number;
  /** Of each member the column of its key, behind which stands whether its label is that of others, too. */
  readonly keys: readonly (number | undefined)[];
  /** Of each measure the column of the measure that is its goal. */
  readonly targets: readonly (number | undefined)[];
}

export interface CompiledAnswer {
  readonly rows: CompiledQuery;
  readonly totals?: CompiledQuery;
  /** For each pair of prefixes a statement whose rows are those of all members, shown or not. */
  readonly subtotals?: readonly {
    readonly by: number;
    readonly across: number;
    readonly query: CompiledQuery;
  }[];
  /** Items of `by`; those of `across` come behind them. */
  readonly byCount: number;
  /** How many tuples of `by` are listed, where the statement itself does not say so. */
  readonly limit?: number;
  readonly unreached: readonly (readonly [measure: string, column: string])[];
  /** Of each measure its goal; missing where no goals are asked for, or there are none. */
  readonly goals?: readonly (Goal | undefined)[];
  /** False where totals are worked out for the states of goals alone. */
  readonly tellsTotals?: boolean;
}

/** What a relation may add to the statement that it stands in. */
export interface StatementParts {
  /** Enters a value and gives the SQL that stands for it. */
  value(value: Value, type: DataType): string;
  /** Adds a relation that is worked out once, and gives its name. */
  keptCte(prefix: string, sql: string): string;
}

/** A value that does not fit its type: when that is so, and the value as text. */
export interface Misfit {
  readonly condition: string;
  readonly text: string;
}

/**
 * What a question rests on: a model whose formulas are checked, and the day as of which it is asked, in days
 * since 1970-01-01.
 */
export interface SqlSetting {
  readonly model: Model;
  readonly checker: FormulaChecker;
  readonly today: number;
  /**
   * Whether no two rows of a table have the same values in the columns; by default where they are its
   * declared key, which a released table enforces. Where it is false, of several partners the first is looked
   * up, as the columns engine does.
   */
  readonly isUnique?: (table: Table, columns: readonly string[]) => boolean;
  /**
   * What stands after FROM for a table's stored rows: a relation with the columns of the model and what
   * `rowId` of the dialect names; by default the table's own name.
   */
  readonly rowsOf?: (table: Table, text: StatementParts) => string;
  /** The rows of the table that a statement goes through, where that is not all of them (`rowsOf`). */
  readonly baseRowsOf?: (table: Table) => string | undefined;
  /** How to tell a value that does not fit its type, of rows under an alias; missing where all values fit. */
  readonly misfitOf?: (table: Table, column: string, alias: string) => Misfit | undefined;
  /** Hears which stored columns are read; throws DataError for one that is not where the rows are. */
  readonly onColumn?: (table: Table, column: string) => void;
  /** Hears along which relationships rows are looked up. */
  readonly onLookup?: (relationship: Relationship) => void;
}
