import { useMemo } from 'react';
import type { ChartOptions } from 'chart.js';
import { Chart as ChartView } from 'react-chartjs-2';
import { count } from '../../../parts/text.ts';
import type { ChartData } from './chartData.ts';
import type { Formats, OnPoint } from './options.ts';
import { dataset, extent, seriesOptions } from './options.ts';

/** So many small charts are drawn; the others are counted. */
const MOST_PANELS = 36;

/** Marks and lines of a small chart are smaller. */
const SMALL = { pointRadius: 1.2, borderWidth: 1.2 };

/** A small chart for each series; those of one measure have one scale. */
export function Multiples({
  drawn,
  formats,
  onPoint,
}: {
  drawn: ChartData;
  formats: Formats;
  onPoint: OnPoint;
}) {
  const panels = useMemo(() => {
    const scales = new Map(
      drawn.series.map((s) => [s.measure, extent(drawn.series.filter((o) => o.measure === s.measure))]),
    );
    return drawn.series.slice(0, MOST_PANELS).map((series) => {
      const form = drawn.form === 'line' ? ('line' as const) : ('bars' as const);
      const own = { ...drawn, series: [series] };
      const options = seriesOptions({
        drawn: own,
        form,
        view: { right: [], sameScale: false },
        formats,
        onPointed: () => undefined,
        onPoint,
      });
      const y = {
        ...options.scales?.['y'],
        suggestedMin: scales.get(series.measure)!.min,
        suggestedMax: scales.get(series.measure)!.max,
        title: { display: false },
      };
      return {
        series,
        data: { labels: [...drawn.labels], datasets: [{ ...dataset(series, 0, form, []), ...SMALL }] },
        options: { ...options, scales: { ...options.scales, y } } as ChartOptions,
      };
    });
  }, [drawn, formats, onPoint]);
  return (
    <>
      <div className="grid grid-cols-[repeat(auto-fill,minmax(220px,1fr))] gap-x-4 gap-y-6 pt-4">
        {panels.map(({ series, data, options }) => (
          <figure key={series.label} className="m-0 h-[150px] min-w-0">
            <figcaption className="truncate text-[12px] font-semibold" title={series.label}>
              {series.label}
            </figcaption>
            <div className="relative h-[130px]">
              <ChartView
                aria-hidden
                key={drawn.form}
                type={drawn.form}
                data={data}
                options={options}
                data-title={series.label}
              />
            </div>
          </figure>
        ))}
      </div>
      {drawn.series.length > MOST_PANELS && (
        <p className="pt-2 text-soft">{count(drawn.series.length - MOST_PANELS)} more are not drawn.</p>
      )}
    </>
  );
}
