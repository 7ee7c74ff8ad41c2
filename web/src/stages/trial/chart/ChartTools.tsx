import { ImageDown } from 'lucide-react';
import type { QueryState } from '@crease/contract';
import { IconButton } from '../../../parts/IconButton.tsx';
import type { ChartData } from './chartData.ts';
import type { ChartForm, ChartView } from './forms.ts';
import { FORMS, unfit } from './forms.ts';

interface Props {
  readonly answer: QueryState;
  readonly drawn: ChartData;
  readonly form: ChartForm;
  readonly view: ChartView;
  readonly onView: (view: ChartView) => void;
  readonly onSave: () => void;
}

/** The form of the chart, the axis of each measure, and its picture. */
export function ChartTools({ answer, drawn, form, view, onView, onSave }: Props) {
  const measures = [...new Set(drawn.series.map((s) => s.measure))];
  const isAxed = (form === 'line' || form === 'bars') && measures.length > 1;
  const proposed = drawn.form === 'line' ? 'line' : 'bars';
  return (
    <div className="flex flex-wrap items-center gap-3 pb-2 text-[13px]">
      <label className="flex items-center gap-1">
        drawn as
        <select
          className="field"
          aria-label="Form of the chart"
          value={form}
          onChange={(e) => {
            const chosen = e.target.value as ChartForm;
            onView({ ...view, form: chosen === proposed ? undefined : chosen });
          }}
        >
          {FORMS.map(({ form: one, title }) => {
            const why = unfit(one, answer, drawn);
            return (
              <option key={one} value={one} disabled={why !== undefined}>
                {title}
                {one === proposed ? ' (proposed)' : ''}
                {why === undefined ? '' : `: ${why}`}
              </option>
            );
          })}
        </select>
      </label>
      {isAxed && (
        <fieldset className="flex items-center gap-2">
          <legend className="sr-only">Right axis</legend>
          <span className="text-soft">right axis:</span>
          {measures.map((m) => (
            <label key={m} className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={view.right.includes(m)}
                onChange={(e) =>
                  onView({
                    ...view,
                    right: e.target.checked ? [...view.right, m] : view.right.filter((r) => r !== m),
                  })
                }
              />
              {m}
            </label>
          ))}
        </fieldset>
      )}
      {isAxed && view.right.length > 0 && (
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={view.sameScale}
            onChange={(e) => onView({ ...view, sameScale: e.target.checked })}
          />
          one scale for both
        </label>
      )}
      <span className="ml-auto">
        <IconButton label="Save the picture" onClick={onSave}>
          <ImageDown size={14} aria-hidden />
        </IconButton>
      </span>
    </div>
  );
}
