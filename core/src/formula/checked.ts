import type { FormulaFault } from './source.ts';
import type { ColumnName, Typed } from './typed.ts';

/** What data tell that a model does not: used where a fact refers to a level of a table. */
export interface DataOracle {
  /** Whether the column has one value within each combination of values of the level's columns. */
  determines(table: string, levelColumns: readonly string[], column: string): boolean;
}

export interface CheckedFormula {
  readonly source: string;
  /** Missing where there are faults. */
  readonly typed?: Typed;
  readonly faults: readonly FormulaFault[];
  /** Measures named that are broken themselves: then this one cannot be judged. */
  readonly restsOn: readonly string[];
  /** Measures, and tables and columns, that the formula itself names. */
  readonly measures: readonly string[];
  readonly columns: readonly ColumnName[];
}
