import { useState } from 'react';
import type { Goal } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';

const bandsOf = (text: string): number[] | undefined => {
  const bands = text
    .split(/[;,]\s*/)
    .filter((part) => part.trim() !== '')
    .map((part) => (part.trim().endsWith('%') ? Number(part.trim().slice(0, -1)) / 100 : Number(part)));
  const isSound = bands.every((band, i) => Number.isFinite(band) && (i === 0 || band > bands[i - 1]!));
  return isSound && bands.length > 0 && bands.length <= 4 ? bands : undefined;
};
const percent = (band: number): string => `${Math.round(band * 1e6) / 1e4} %`;

/** What a measure should come to, the shares of it at which its state changes, and what is good. */
export function GoalFields({
  own,
  goal,
  onChange,
}: {
  own: string;
  goal: Goal | undefined;
  onChange: (goal: Goal | undefined) => void;
}) {
  const { model } = useModel();
  const kind = goal === undefined ? 'none' : goal.measure === undefined ? 'value' : 'measure';
  const others = (model.measures ?? []).map((m) => m.name).filter((name) => name !== own);
  const { bands: _bands, good: _good, ...target } = goal ?? {};
  const kept = goal
    ? { ...(goal.bands ? { bands: goal.bands } : {}), ...(goal.good ? { good: goal.good } : {}) }
    : {};
  return (
    <span className="flex flex-wrap items-center gap-2 text-soft">
      <label>
        goal{' '}
        <select
          className="field"
          aria-label="Goal"
          value={kind}
          onChange={(e) => {
            if (e.target.value === 'none') onChange(undefined);
            else if (e.target.value === 'value') onChange({ value: 0, ...kept });
            else if (others[0] !== undefined) onChange({ measure: others[0], ...kept });
          }}
        >
          <option value="none">none</option>
          <option value="value">a number</option>
          <option value="measure" disabled={others.length === 0}>
            a measure
          </option>
        </select>
      </label>
      {kind === 'value' && (
        <input
          type="number"
          step="any"
          className="field w-[96px]"
          aria-label="Goal as a number"
          value={goal!.value}
          onChange={(e) => onChange({ ...kept, value: Number(e.target.value) })}
        />
      )}
      {kind === 'measure' && (
        <select
          className="field max-w-[170px]"
          aria-label="Goal as a measure"
          value={goal!.measure}
          onChange={(e) => onChange({ ...kept, measure: e.target.value })}
        >
          {[...new Set([...others, goal!.measure!])].map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      )}
      {goal && (
        <>
          <BandsField
            key={JSON.stringify(goal.bands)}
            bands={goal.bands ?? [1]}
            onChange={(bands) => onChange({ ...target, bands, ...(goal.good ? { good: goal.good } : {}) })}
          />
          <label>
            better{' '}
            <select
              className="field"
              aria-label="What is better"
              value={goal.good ?? 'high'}
              onChange={(e) =>
                onChange({
                  ...target,
                  ...(goal.bands ? { bands: goal.bands } : {}),
                  ...(e.target.value === 'low' ? { good: 'low' } : {}),
                })
              }
            >
              <option value="high">more</option>
              <option value="low">less</option>
            </select>
          </label>
        </>
      )}
    </span>
  );
}

/** Shares of the goal, least first; what cannot be read is said and not taken. */
function BandsField({ bands, onChange }: { bands: readonly number[]; onChange: (bands: number[]) => void }) {
  const known = bands.map(percent).join(', ');
  const [typed, setTyped] = useState(known);
  const read = bandsOf(typed);
  return (
    <label>
      states change at{' '}
      <input
        className="field w-[110px]"
        aria-label="Shares of the goal"
        aria-invalid={read === undefined}
        title="Shares of the goal, least first: 90 %, 100 %"
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={() => read && typed !== known && onChange(read)}
      />
      {read === undefined && <span role="alert"> write shares, least first: 90 %, 100 %</span>}
    </label>
  );
}
