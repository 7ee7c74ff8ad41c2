import type { GoalStates } from '@crease/core/query';
import { goalWord } from './goalWords.ts';

/** The row of totals. */
const TOTALS = -1;

/** How a cell stands to the goal of its measure: a shape, whose filled part grows, and a word. */
export function GoalMark({
  goals,
  row,
  measure,
}: {
  goals: GoalStates | undefined;
  row: number;
  measure: number;
}) {
  const column = goals?.columns[measure];
  const state = (row === TOTALS ? goals?.totals : goals?.rows[row])?.[measure];
  if (!column || state === null || state === undefined) return null;
  const share = state / (column.states - 1);
  return (
    <span className="float-left inline-flex items-center gap-1 pr-2 text-[11px] font-normal text-soft">
      <svg width="9" height="11" viewBox="0 0 9 11" aria-hidden>
        <rect x="0.5" y="0.5" width="8" height="10" fill="none" stroke="currentColor" />
        <rect x="0.5" y={0.5 + 10 * (1 - share)} width="8" height={10 * share} fill="currentColor" />
      </svg>
      {goalWord(state, column.states)}
    </span>
  );
}
