import { useEffect, useMemo, useState } from 'react';
import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  Decimation,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  TimeScale,
  Tooltip,
} from 'chart.js';
import type { ChartOptions, TooltipModel } from 'chart.js';
import 'chartjs-adapter-date-fns';
import { Chart as ChartView } from 'react-chartjs-2';
import type { QueryState } from '@crease/contract';
import type { ValueFormat } from '@crease/core/model';
import { formatValue } from '../../parts/format.ts';
import { count } from '../../parts/text.ts';
import type { ChartData, ChartPoint } from './chartData.ts';
import { chartData } from './chartData.ts';

Chart.register(
  BarController,
  BarElement,
  CategoryScale,
  Decimation,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  TimeScale,
  Tooltip,
);
Chart.defaults.font.family = 'Inter Variable';
Chart.defaults.animation = matchMedia('(prefers-reduced-motion: reduce)').matches ? false : { duration: 200 };

/** Bars differ by pattern of lightness, not by hue: the accent colour is kept for what is broken. */
const INKS = ['--ink', '--bar', '--slate', '--violet', '--bar-soft'];
/** Where the inks are used up, the lines of the next round are broken in another way. */
const DASHES = [[], [6, 3], [2, 2], [8, 3, 2, 3]];
/** Beyond so many points in a series, its points are not marked apart from the line. */
const MARKED_POINTS = 200;
/** What is left out is said member by member up to here. */
const TOLD = 6;

type Formats = Readonly<Record<string, ValueFormat>>;

/**
 * The answer as bars, or as lines where the members are in time: one series for each member of the last
 * attribute.
 */
export default function AnswerChart({
  answer,
  byCount,
  formats,
}: {
  answer: QueryState;
  byCount: number;
  formats: Formats;
}) {
  const [ready, setReady] = useState(false);
  useEffect(() => {
    // Text on a canvas is drawn once: the font has to be there before.
    void document.fonts.load('12px "Inter Variable"').then(() => setReady(true));
  }, []);
  const drawn = useMemo(() => chartData(answer, byCount), [answer, byCount]);
  const [pointed, setPointed] = useState<Pointed>();
  // The chart is drawn anew where these change: what is pointed at changes neither.
  const options = useMemo(
    () =>
      optionsOf(drawn, formats, (next) =>
        setPointed((now) => (JSON.stringify(now) === JSON.stringify(next) ? now : next)),
      ),
    [drawn, formats],
  );
  const data = useMemo(
    () => ({
      labels: [...drawn.labels],
      datasets: drawn.series.map((s, k) => dataset(s, k, drawn.form)),
    }),
    [drawn],
  );
  if (!ready) return <p className="p-4 text-soft">Drawing …</p>;
  if (answer.columns.length - byCount === new Set(answer.unreached.map(([m]) => m)).size)
    return <p className="p-4 text-soft">None of the measures applies here.</p>;
  const measures = [...new Set(drawn.series.map((s) => s.measure))];
  return (
    <div
      className="flex min-h-0 flex-1 flex-col p-4"
      role="img"
      aria-label={`Chart of ${measures.join(', ')}`}
    >
      <div className="relative min-h-0 flex-1">
        {/* A chart of another form is another chart: options of the old one do not fit it. */}
        <ChartView
          key={`${drawn.form} ${drawn.axis}`}
          type={drawn.form}
          data={data}
          options={options as ChartOptions}
        />
        {pointed && <PointedAt pointed={pointed} />}
      </div>
      <LeftOut drawn={drawn} formats={formats} />
    </div>
  );
}

const ink = (name: string): string =>
  getComputedStyle(document.documentElement).getPropertyValue(name).trim();

function dataset(series: ChartData['series'][number], k: number, form: ChartData['form']) {
  const colour = ink(INKS[k % INKS.length]!);
  const round = Math.floor(k / INKS.length);
  return {
    label: series.label,
    data: series.points as ChartPoint[],
    parsing: false as const,
    normalized: true,
    backgroundColor: round === 0 ? colour : `${colour}${round % 2 ? '99' : '66'}`,
    borderColor: colour,
    borderWidth: form === 'line' ? 1.8 : 0,
    ...(form === 'line' ? { borderDash: DASHES[round % DASHES.length]! } : {}),
    pointRadius: series.points.length > MARKED_POINTS ? 0 : 2,
  };
}

/** The members that the pointer is nearest to, with their values. */
interface Pointed {
  readonly x: number;
  readonly y: number;
  readonly title: string;
  readonly lines: readonly string[];
}

/**
 * Text of the page rather than of the canvas: it can be read out, and its font is that of everything else.
 */
function PointedAt({ pointed }: { pointed: Pointed }) {
  return (
    <div
      role="tooltip"
      className="pointer-events-none absolute z-10 max-w-[320px] -translate-x-1/2 -translate-y-full border border-rule-strong bg-raised px-2 py-1 text-[12px] shadow-sm"
      style={{ left: `clamp(160px, ${pointed.x}px, calc(100% - 160px))`, top: Math.max(pointed.y - 8, 48) }}
    >
      <b className="block">{pointed.title}</b>
      {pointed.lines.map((line, k) => (
        <span key={k} className="num block text-left">
          {line}
        </span>
      ))}
    </div>
  );
}

function optionsOf(drawn: ChartData, formats: Formats, onPoint: (pointed: Pointed | undefined) => void) {
  const tooltipFormat = {
    second: 'yyyy-MM-dd HH:mm:ss',
    day: 'yyyy-MM-dd',
    month: 'yyyy-MM',
    quarter: "yyyy-'Q'Q",
    year: 'yyyy',
  };
  const x =
    drawn.axis === 'time'
      ? {
          type: 'time' as const,
          time: {
            ...(drawn.unit === 'second' ? {} : { minUnit: drawn.unit }),
            tooltipFormat: tooltipFormat[drawn.unit!],
            displayFormats: {
              second: 'HH:mm:ss',
              day: 'yyyy-MM-dd',
              month: 'yyyy-MM',
              quarter: "yyyy-'Q'Q",
              year: 'yyyy',
            },
          },
        }
      : { type: 'category' as const };
  return {
    maintainAspectRatio: false,
    // A point need not be hit: the nearest one along the axis is meant.
    interaction: { mode: 'nearest' as const, axis: 'x' as const, intersect: false },
    scales: {
      x: { ...x, ticks: { color: ink('--soft'), maxRotation: 60, autoSkip: true }, grid: { display: false } },
      y: { ticks: { color: ink('--soft') }, grid: { color: ink('--rule') } },
    },
    plugins: {
      // Only of what would fall on one column of pixels, the least and the greatest are kept.
      decimation: { enabled: drawn.axis === 'time', algorithm: 'min-max' as const },
      legend: { maxHeight: 64, labels: { color: ink('--ink'), boxWidth: 12 } },
      tooltip: {
        enabled: false,
        external: ({ tooltip }: { tooltip: TooltipModel<'bar' | 'line'> }) =>
          onPoint(
            tooltip.opacity === 0
              ? undefined
              : {
                  x: tooltip.caretX,
                  y: tooltip.caretY,
                  title: tooltip.title.join(' '),
                  lines: tooltip.body.flatMap((b) => b.lines),
                },
          ),
        callbacks: {
          title: (items: { raw: unknown }[]) => (items[0] ? (items[0].raw as ChartPoint).at : ''),
          label: ({ raw, datasetIndex }: { raw: unknown; datasetIndex: number }) => {
            const s = drawn.series[datasetIndex]!;
            return `${s.label}: ${formatValue((raw as ChartPoint).value as ChartPoint['value'] & (string | number), s.type, formats[s.measure])}`;
          },
        },
      },
    },
  };
}

/** What has no place on a time axis, with its own values. */
function LeftOut({ drawn, formats }: { drawn: ChartData; formats: Formats }) {
  if (drawn.leftOut.length === 0) return null;
  const told = drawn.leftOut
    .slice(0, TOLD)
    .map(
      (o) =>
        `${o.member}: ${o.measure} ${formatValue(o.value as null, o.type, formats[o.measure]) || 'null'}`,
    );
  return (
    <p className="text-soft">
      Not on the time axis: {told.join('; ')}
      {drawn.leftOut.length > TOLD ? `; and ${count(drawn.leftOut.length - TOLD)} more` : ''}
    </p>
  );
}
