import type { ChartOptions, TooltipModel } from 'chart.js';
import type { ValueFormat } from '@crease/core/model';
import { formatValue } from '../../../parts/format.ts';
import type { ChartData, ChartPoint } from './chartData.ts';
import type { ChartForm, ChartView } from './forms.ts';
import { fillOf, ink, lookOf } from './inks.ts';
import type { Pointed } from './PointedAt.tsx';
import type { MeasuredPoint, PointsData } from './pointsData.ts';

export type Formats = Readonly<Record<string, ValueFormat>>;
/** A cell of the answer that a point stands for. */
export type OnPoint = (cell: { row: number; column: number }) => void;

/** Beyond so many points in a series, its points are not marked apart from the line. */
const MARKED_POINTS = 200;

const WRITTEN = {
  second: 'HH:mm:ss',
  day: 'yyyy-MM-dd',
  month: 'yyyy-MM',
  quarter: "yyyy-'Q'Q",
  year: 'yyyy',
};

/** One series as Chart.js draws it. */
export function dataset(
  series: ChartData['series'][number],
  k: number,
  form: ChartForm,
  right: readonly string[],
) {
  const { colour, dash, mark } = lookOf(k);
  const isLine = form === 'line';
  return {
    label: series.label,
    data: series.points as ChartPoint[],
    parsing: false as const,
    normalized: true,
    backgroundColor: isLine ? colour : fillOf(k),
    borderColor: colour,
    borderWidth: isLine ? 1.8 : form === 'stacked' ? 1 : 0,
    ...(isLine ? { borderDash: dash, pointStyle: mark } : {}),
    ...(form === 'stacked' ? { stack: 'all' } : {}),
    yAxisID: right.includes(series.measure) ? 'right' : 'y',
    pointRadius: series.points.length > MARKED_POINTS ? 0 : 3,
  };
}

/** Least and greatest value of some series, with 0 between them. */
export function extent(series: ChartData['series']): { min: number; max: number } {
  let [min, max] = [0, 0];
  for (const { points } of series)
    for (const { y } of points) {
      if (y === null) continue;
      if (y < min) min = y;
      if (y > max) max = y;
    }
  return { min, max };
}

const external =
  (onPointed: (pointed: Pointed | undefined) => void) =>
  ({ tooltip }: { tooltip: TooltipModel<'bar'> }) =>
    onPointed(
      tooltip.opacity === 0
        ? undefined
        : {
            x: tooltip.caretX,
            y: tooltip.caretY,
            title: tooltip.title.join(' '),
            lines: tooltip.body.flatMap((b) => b.lines),
          },
    );

interface Asked {
  readonly drawn: ChartData;
  readonly form: ChartForm;
  readonly view: ChartView;
  readonly formats: Formats;
  readonly onPointed: (pointed: Pointed | undefined) => void;
  readonly onPoint: OnPoint;
}

const axisTitle = (measures: readonly string[]) => ({
  display: measures.length > 0,
  text: measures.join(', '),
  color: ink('--soft'),
});

/** Options of lines and bars. */
export function seriesOptions({ drawn, form, view, formats, onPointed, onPoint }: Asked): ChartOptions {
  const measures = [...new Set(drawn.series.map((s) => s.measure))];
  const right = measures.filter((m) => view.right.includes(m));
  const left = measures.filter((m) => !right.includes(m));
  const hasRight = right.length > 0 && left.length > 0;
  // One scale for both has to hold the greatest of either.
  const scale = hasRight && view.sameScale ? extent(drawn.series) : {};
  const ticks = { color: ink('--soft') };
  const x =
    drawn.axis === 'time'
      ? {
          type: 'time' as const,
          time: {
            ...(drawn.unit === 'second' || drawn.unit === undefined ? {} : { minUnit: drawn.unit }),
            displayFormats: WRITTEN,
          },
        }
      : { type: 'category' as const };
  return {
    maintainAspectRatio: false,
    // A point need not be hit: the nearest one along the axis is meant.
    interaction: { mode: 'nearest', axis: 'x', intersect: false },
    onClick: (_event, elements) => {
      const [first] = elements;
      const point = first && (drawn.series[first.datasetIndex]?.points[first.index] ?? undefined);
      if (point && point.row >= 0) onPoint({ row: point.row, column: point.column });
    },
    scales: {
      x: {
        ...x,
        ...(form === 'stacked' ? { stacked: true } : {}),
        ticks: { ...ticks, maxRotation: 60, autoSkip: true },
        grid: { display: false },
      },
      y: {
        ...scale,
        beginAtZero: form !== 'line',
        ...(form === 'stacked' ? { stacked: true } : {}),
        ticks,
        grid: { color: ink('--rule') },
        title: axisTitle(left.length > 0 && (hasRight || measures.length === 1) ? left : []),
      },
      ...(hasRight
        ? {
            right: {
              ...scale,
              position: 'right' as const,
              beginAtZero: form !== 'line',
              ticks,
              grid: { display: false },
              title: axisTitle(right),
            },
          }
        : {}),
    },
    plugins: {
      // Only of what would fall on one column of pixels, the least and the greatest are kept.
      decimation: { enabled: drawn.axis === 'time', algorithm: 'min-max' },
      legend: {
        display: drawn.series.length > 1,
        maxHeight: 64,
        labels: { color: ink('--ink'), boxWidth: 12, usePointStyle: form === 'line' },
      },
      tooltip: {
        enabled: false,
        external: external(onPointed) as never,
        callbacks: {
          title: (items) => (items[0] ? (items[0].raw as ChartPoint).at : ''),
          label: ({ raw, datasetIndex }) => {
            const s = drawn.series[datasetIndex]!;
            return `${s.label}: ${formatValue((raw as ChartPoint).value as string | number, s.type, formats[s.measure])}`;
          },
        },
      },
    },
  };
}

/** Options of points that are placed by two measures. */
export function pointOptions(
  { measures, points }: PointsData,
  formats: Formats,
  types: readonly string[],
  onPointed: (pointed: Pointed | undefined) => void,
  onPoint: OnPoint,
): ChartOptions {
  const axis = (i: number) => ({
    type: 'linear' as const,
    ticks: { color: ink('--soft') },
    grid: { color: ink('--rule') },
    title: axisTitle([measures[i]!]),
  });
  return {
    maintainAspectRatio: false,
    interaction: { mode: 'nearest', axis: 'xy', intersect: true },
    onClick: (_event, elements) => {
      const point = elements[0] && points[elements[0].index];
      if (point) onPoint({ row: point.row, column: point.column });
    },
    scales: { x: axis(0), y: axis(1) },
    plugins: {
      legend: { display: false },
      tooltip: {
        enabled: false,
        external: external(onPointed) as never,
        callbacks: {
          title: (items) => (items[0] ? (items[0].raw as MeasuredPoint).at : ''),
          label: ({ raw }) =>
            measures.map(
              (m, i) =>
                `${m}: ${formatValue((raw as MeasuredPoint).values[i] as string | number, types[i]!, formats[m])}`,
            ) as unknown as string,
        },
      },
    },
  };
}
