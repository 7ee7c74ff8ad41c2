import type { ModelNames } from '../../model/index.ts';
import type { Reach } from '../../relate/index.ts';
import type { CheckedFormula, DataOracle } from '../checked.ts';
import type { Typed } from '../typed.ts';

/** What the passes of a check ask of the model; `FormulaChecker` knows it. */
export interface ModelFacts {
  readonly names: ModelNames;
  readonly reach: Reach;
  readonly oracle?: DataOracle | undefined;
  measure(name: string): CheckedFormula | undefined;
  basesOf(node: Typed): ReadonlySet<string>;
  circle(name: string): readonly string[] | undefined;
}
