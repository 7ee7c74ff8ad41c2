import { FormulaChecker } from '@crease/core/formula';
import type { Model } from '@crease/core/model';
import { withFamilies } from '@crease/core/model';

const made = new WeakMap<Model, FormulaChecker>();

/** The checker of a model with its measures of periods; of a large model it takes its time, and is kept. */
export function checkerOf(model: Model): FormulaChecker {
  let found = made.get(model);
  if (!found) made.set(model, (found = new FormulaChecker(withFamilies(model))));
  return found;
}
