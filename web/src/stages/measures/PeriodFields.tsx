import { useState } from 'react';
import type { Measure, PeriodFamily } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { many } from '../../parts/text.ts';
import { calendarWaysOf } from './ways.ts';

/** Periods that people ask for most; any other of the formula language can be written. */
const USUAL = [
  'year to date',
  'quarter to date',
  'month to date',
  'fiscal year to date',
  'previous month',
  'previous year',
  'same period 1 year back',
  'last 12 months',
];

const sameWay = (a: string | undefined, b: string | undefined): boolean =>
  a === undefined || b === undefined ? a === b : sameName(a, b);

/** The measure over periods, made and taken away by ticking them; they follow the measure. */
export function PeriodFields({ measure, bases }: { measure: Measure; bases: readonly string[] }) {
  const { model, edit } = useModel();
  const [chosenWay, setWay] = useState<string>();
  const [typed, setTyped] = useState('');
  const [isOpen, setOpen] = useState(false);
  const ways = calendarWaysOf(model, bases);
  const families = (model.periodFamilies ?? []).filter((f) => sameName(f.measure, measure.name));
  // The families of a way that is no longer one can still be taken away.
  const way = chosenWay ?? families[0]?.via ?? '';
  const family = families.find((f) => sameWay(f.via, way || undefined));
  const periods = family?.periods ?? [];
  if (ways.length === 0 && families.length === 0) return null;
  // Made of the newest model: ticks that follow each other quickly are no conflict with oneself.
  const put = (change: (periods: readonly string[]) => readonly string[], says: string) =>
    void edit((newest) => {
      const all = (newest.periodFamilies ?? []).filter((f) => sameName(f.measure, measure.name));
      const own = all.find((f) => sameWay(f.via, way || undefined));
      const next = change(own?.periods ?? []);
      const calendars = new Set(ways.map((r) => r.to.table));
      const calendar = way === '' ? undefined : ways.find((r) => sameName(r.name, way))?.to.table;
      const made: PeriodFamily = {
        ...(own ?? { measure: measure.name }),
        ...(own === undefined && calendars.size > 1 && calendar ? { calendar } : {}),
        ...(way === '' ? {} : { via: way }),
        periods: [...next],
      };
      const others = all.filter((f) => f !== own);
      const families = next.length === 0 ? others : [...others, made];
      return [{ do: 'set-period-families', measure: measure.name, families }];
    }, says);
  const tick = (period: string, on: boolean) =>
    put(
      (before) => [...before.filter((p) => p !== period), ...(on ? [period] : [])],
      `${on ? 'add' : 'remove'} ${measure.name}, ${period}`,
    );
  const add = () => {
    const period = typed.trim().toLowerCase().replace(/\s+/g, ' ');
    if (period === '' || periods.includes(period)) return;
    put((before) => [...before, period], `add ${measure.name}, ${period}`);
    setTyped('');
  };
  const count = families.reduce((n, f) => n + f.periods.length, 0);
  return (
    <details
      className="mt-3 border-t border-rule pt-2"
      open={isOpen}
      onToggle={(e) => setOpen(e.currentTarget.open)}
    >
      <summary className="cursor-default">
        <b>Periods</b>{' '}
        <span className="text-soft">
          {count === 0 ? 'none' : families.flatMap((f) => f.periods).join(', ')}
        </span>
      </summary>
      <div className="mt-2 flex flex-wrap items-center gap-3">
        {(ways.length > 1 || way !== '') && (
          <label className="text-soft">
            by{' '}
            <select
              className="field"
              aria-label="Relationship of the periods"
              value={way}
              onChange={(e) => setWay(e.target.value)}
            >
              <option value="">the way the measure goes by</option>
              {[...new Set([...ways.map((r) => r.name), ...families.flatMap((f) => f.via ?? [])])].map(
                (name) => (
                  <option key={name}>{name}</option>
                ),
              )}
            </select>
          </label>
        )}
        <AsOfField />
      </div>
      <div
        className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1"
        role="group"
        aria-label="Periods of the measure"
      >
        {[...USUAL, ...periods.filter((p) => !USUAL.includes(p))].map((period) => (
          <label key={period} className="flex items-center gap-1">
            <input
              type="checkbox"
              checked={periods.includes(period)}
              onChange={(e) => tick(period, e.target.checked)}
            />
            {period}
          </label>
        ))}
        <form
          className="flex gap-1"
          onSubmit={(e) => {
            e.preventDefault();
            add();
          }}
        >
          <input
            className="field w-[150px]"
            placeholder="last 8 weeks"
            aria-label="Another period"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
          <button className="btn" disabled={typed.trim() === ''}>
            Add
          </button>
        </form>
      </div>
      {families.length > 1 && (
        <p className="mt-1 text-[12px] text-soft">
          {families
            .map((f) => `${f.via ?? 'the default way'}: ${many(f.periods.length, 'period')}`)
            .join(' · ')}
        </p>
      )}
    </details>
  );
}

/** The day that periods are counted to: of the model, else today. */
function AsOfField() {
  const { model, edit } = useModel();
  const [typed, setTyped] = useState<string>();
  const write = (day: string) => {
    setTyped(undefined);
    if (day === (model.asOf ?? '')) return;
    void edit(
      [{ do: 'set-model', change: { asOf: day } }],
      day === '' ? 'count periods to today' : `count periods to ${day}`,
    );
  };
  return (
    <label className="text-soft">
      counted to{' '}
      <input
        className="field num w-[104px]"
        aria-label="As-of day"
        title="The last day that periods count, as 2026-06-30; empty: today"
        placeholder="today"
        value={typed ?? model.asOf ?? ''}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={(e) => write(e.target.value)}
      />
    </label>
  );
}
