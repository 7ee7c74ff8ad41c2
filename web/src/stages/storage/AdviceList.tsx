import { columnPath } from '@crease/core/formula';
import { daysWithoutCalendar, relateToCalendar } from '@crease/core/stars';
import type { Advice } from '@crease/core/storage';
import { editOfFolds } from '@crease/core/storage';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { bytes, count, many, percent } from '../../parts/text.ts';
import type { Folds } from './useFolds.ts';

/**
 * What would make the model lighter: each can be folded away on the rulers, and all that are folded applied.
 */
export function AdviceList({
  advice,
  error,
  folds,
}: {
  /** Undefined while it is looked for. */
  advice: readonly Advice[] | undefined;
  error: Error | undefined;
  folds: Folds;
}) {
  return (
    <section aria-label="Advice" className="border-b border-rule">
      <header className="sticky top-0 z-10 flex min-h-[42px] flex-wrap items-center gap-2 border-b border-rule bg-leaf px-4 py-2">
        <h2 className="flex-1 text-[15px]">
          {advice?.length === 0 ? 'No savings found' : 'Make it lighter'}
        </h2>
        {folds.chosen.length > 0 && <Chosen folds={folds} />}
      </header>
      {error && <p className="px-4 py-2 text-vermilion">{error.message}</p>}
      {!advice && !error && <p className="px-4 py-2 text-soft">Measuring every column in other ways …</p>}
      {advice?.map((a) => (
        <OneAdvice key={JSON.stringify(a.fold)} advice={a} folds={folds} />
      ))}
    </section>
  );
}

/** What all chosen folds make together, and the act that applies them. */
function Chosen({ folds }: { folds: Folds }) {
  const { edit } = useModel();
  const { chosen, measured, isMeasuring, error } = folds;
  const says =
    chosen.length === 1
      ? `${chosen[0]!.column}: ${chosen[0]!.change}`
      : `make the model lighter in ${many(chosen.length, 'way')}`;
  const apply = async () => {
    const made = await edit(
      (newest) =>
        editOfFolds(
          newest,
          chosen.map((a) => a.fold),
        ),
      says,
    );
    if (made) folds.clear();
  };
  return (
    <>
      <span className="tabular-nums" role="status" title="Of stored columns, with what leads from them">
        {error
          ? error.message
          : measured
            ? `${bytes(measured.beforeBytes)} → ${bytes(measured.afterBytes)}`
            : isMeasuring
              ? 'measuring …'
              : ''}
      </span>
      <button className="btn btn-act" disabled={!measured} onClick={() => void apply()}>
        Apply {many(chosen.length, 'fold')}
      </button>
      <button className="btn" onClick={folds.clear}>
        Unfold
      </button>
    </>
  );
}

function OneAdvice({ advice: a, folds }: { advice: Advice; folds: Folds }) {
  const [, select] = useSelection();
  const isFolded = folds.isChosen(a);
  return (
    <div className={`border-b border-rule px-4 py-2 ${isFolded ? 'bg-raised' : ''}`}>
      <div className="flex items-start gap-3">
        <p className="flex-1">
          <button
            className="min-h-[24px] font-semibold hover:underline"
            onClick={() => select({ kind: 'column', name: a.column })}
          >
            {a.column}
          </button>
          : {a.change}
        </p>
        <button
          className="btn"
          aria-pressed={isFolded}
          aria-label={`Fold: ${a.column}, ${a.change}`}
          onClick={() => folds.turn(a)}
        >
          {isFolded ? 'Folded' : 'Fold'}
        </button>
      </div>
      <p className="flex items-center gap-3 tabular-nums">
        <span title={`${count(a.beforeBytes)} bytes`}>{bytes(a.beforeBytes)}</span>→
        <b title={`${count(a.afterBytes)} bytes`}>{bytes(a.afterBytes)}</b>
        {a.afterBytes > a.beforeBytes ? (
          <span className="text-soft">costs {bytes(a.afterBytes - a.beforeBytes)}</span>
        ) : (
          <span className="text-green">saves {percent(1 - a.afterBytes / a.beforeBytes)}</span>
        )}
      </p>
      <p className="text-soft">
        {a.reason}
        {a.usedBy.length > 0 && `. Used by ${a.usedBy.slice(0, 3).join(', ')}`}
        {a.usedBy.length > 3 && ` and ${a.usedBy.length - 3} more`}
      </p>
      <DayAct path={a.column} />
    </div>
  );
}

/** Of a moment of a fact: gives its day to the calendar, in one act. */
function DayAct({ path }: { path: string }) {
  const { model, edit } = useModel();
  const calendar = model.calendars?.[0];
  const day = daysWithoutCalendar(model).find(
    (d) => d.type === 'timestamp' && columnPath(d.table, d.column) === path,
  );
  if (!day || !calendar) return null;
  return (
    <button
      className="btn mt-1 h-[24px]"
      onClick={() =>
        void edit(relateToCalendar(model, [day], calendar), `relate the day of ${path} to ${calendar.table}`)
      }
    >
      Relate its day to {calendar.table}
    </button>
  );
}
