import { cardinalityOf, sameName } from '../../model/index.ts';
import type { ModelFacts } from './modelFacts.ts';
import type { ColumnName } from '../typed.ts';

/**
 * Whether a column lies beyond a level to which the path refers, and is finer than it. Without data, columns
 * are taken to be coarse enough.
 */
export function levelProblem(
  checker: ModelFacts,
  base: string,
  column: ColumnName,
  via: readonly string[],
): boolean {
  const route = checker.reach.route(base, column.table, via);
  if (!route || route.kind === 'ambiguous') return false;
  const path = [...('anchor' in route ? route.anchor : []), ...route.path];
  const at = path.findIndex((r) => cardinalityOf(r) === 'many-to-level');
  if (at < 0 || !checker.oracle) return false;
  const level = path[at]!;
  const beyond = path[at + 1];
  // Behind the level, the column that leads on must itself be determined.
  const wanted = beyond ? beyond.from.columns : sameName(level.to.table, column.table) ? [column.column] : [];
  return wanted.some(
    (name) =>
      !level.to.columns.some((c) => sameName(c, name)) &&
      !checker.oracle!.determines(level.to.table, level.to.columns, name),
  );
}
