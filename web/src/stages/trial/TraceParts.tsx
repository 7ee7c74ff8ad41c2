import type { TracedPart, TracedStep, TracedTable } from '@crease/core/query';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { formatValue } from '../../parts/format.ts';
import { many } from '../../parts/text.ts';

/**
 * What was worked out for a cell, part by part: each aggregate with the conditions that it counted under, its
 * days, and the rows that were left.
 */
export function TraceParts({ parts }: { parts: readonly TracedPart[] }) {
  return (
    <ul className="mt-2 flex flex-col gap-2">
      {parts.map((part, i) => (
        <li key={i} className="border-l-2 border-rule pl-3">
          <PartHead part={part} />
          {part.doesNotApplyBy && (
            <p className="text-vermilion">
              does not apply: {part.doesNotApplyBy.join(', ')}{' '}
              {part.doesNotApplyBy.length === 1 ? 'does' : 'do'} not reach its rows
            </p>
          )}
          {part.conditions.length > 0 && <Conditions part={part} />}
          {part.days.length > 0 && <p className="text-soft">days {daysText(part)}</p>}
          {part.tables.length > 0 && <p className="text-soft">{rowsText(part.tables)}</p>}
          {part.corrected !== undefined && (
            <p className="text-soft">{many(part.corrected, 'row')} with a value corrected by hand</p>
          )}
          {part.parts && <TraceParts parts={part.parts} />}
          {part.steps && <Steps of={part.text} steps={part.steps} />}
        </li>
      ))}
    </ul>
  );
}

function PartHead({ part }: { part: TracedPart }) {
  const { names } = useModel();
  const [, select] = useSelection();
  const measure = names.measure(part.text.replace(/^"(.*)"$/, '$1'));
  return (
    <p className="flex items-baseline gap-2">
      {measure ? (
        <button
          className="code text-left underline decoration-rule-strong"
          onClick={() => select({ kind: 'measure', name: measure.name })}
        >
          {part.text}
        </button>
      ) : (
        <span className="code">{part.text}</span>
      )}
      {part.value !== undefined && (
        <b className="num ml-auto">
          {part.value === null
            ? part.doesNotApplyBy
              ? ''
              : 'null'
            : formatValue(part.value, part.type ?? 'text', measure?.format ?? { thousands: true })}
        </b>
      )}
    </p>
  );
}

/** Expressions of the part's formula with their values, innermost first. */
export function Steps({ of, steps }: { of: string; steps: readonly TracedStep[] }) {
  return (
    <ol aria-label={`Steps of ${of}`} className="mt-1">
      {steps.map((step) => (
        <li key={step.text} className="flex items-baseline gap-2">
          <span className="code min-w-0 text-soft">{step.text}</span>
          <span className="num ml-auto">
            {step.value === null ? 'null' : formatValue(step.value, step.type, { thousands: true })}
          </span>
        </li>
      ))}
    </ol>
  );
}

function Conditions({ part }: { part: TracedPart }) {
  return (
    <ul aria-label={`Conditions of ${part.text}`}>
      {part.conditions.map((condition, i) => (
        <li key={i}>
          {condition.droppedBy === undefined ? (
            condition.text
          ) : (
            <>
              <s className="text-soft">{condition.text}</s>{' '}
              <span className="text-soft">dropped: {condition.droppedBy}</span>
            </>
          )}
        </li>
      ))}
    </ul>
  );
}

const MOST_STRETCHES = 3;

function daysText({ days }: TracedPart): string {
  const shown = days
    .slice(0, MOST_STRETCHES)
    .map(({ from, to }) => (from === to ? from : `${from} to ${to}`));
  const more = days.length - shown.length;
  return `${shown.join(', ')}${more > 0 ? ` and ${many(more, 'stretch').replace(/stretchs$/, 'stretches')} more` : ''}`;
}

/** Rows of the base, and how many each table's conditions leave of them. */
const rowsText = (tables: readonly TracedTable[]): string =>
  tables
    .map(({ table, path, rowsLeft }, i) =>
      i === 0
        ? `${many(rowsLeft, 'row')} of ${table}`
        : `${many(rowsLeft, 'row')} by ${table}${path.length > 0 ? ` (${path.join(' → ')})` : ''}`,
    )
    .join(', then ');
