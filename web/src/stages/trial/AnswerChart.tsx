import { useEffect, useState } from 'react';
import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
} from 'chart.js';
import { Chart as ChartView } from 'react-chartjs-2';
import type { QueryState } from '@crease/contract';
import type { ValueFormat } from '@crease/core/model';
import { formatValue } from '../../parts/format.ts';

Chart.register(BarController, BarElement, CategoryScale, Legend, LinearScale, LineController, LineElement, PointElement, Tooltip);
Chart.defaults.font.family = 'Inter Variable';
Chart.defaults.animation = matchMedia('(prefers-reduced-motion: reduce)').matches ? false : { duration: 200 };

const MOST = 60;
/** Bars differ by pattern of lightness, not by hue: the accent colour is kept for what is broken. */
const INKS = ['--ink', '--bar', '--slate', '--violet', '--bar-soft'];

/** The answer as bars, or as lines where the members are in time. */
export default function AnswerChart({
  answer,
  byCount,
  formats,
}: {
  answer: QueryState;
  byCount: number;
  formats: Readonly<Record<string, ValueFormat>>;
}) {
  const [ready, setReady] = useState(false);
  useEffect(() => {
    // Text on a canvas is drawn once: the font has to be there before.
    void document.fonts.load('12px "Inter Variable"').then(() => setReady(true));
  }, []);
  const style = getComputedStyle(document.documentElement);
  const ink = (name: string) => style.getPropertyValue(name).trim();
  const measures = answer.columns
    .map((c, i) => ({ ...c, i }))
    .filter(({ i, name }) => i >= byCount && !answer.unreached.some(([m]) => m === name));
  const inTime = answer.columns
    .slice(0, byCount)
    .some((c) => c.type === 'date' || /(year|quarter|month|week|day)/i.test(c.name.split('.').at(-1)!));
  // A line goes from moment to moment: the unmatched member has no place on it and is told below.
  const placed = inTime ? answer.rows.filter((row) => row.slice(0, byCount).every((cell) => cell !== null)) : answer.rows;
  const rows = placed.slice(0, MOST);
  const type = inTime && rows.length > 1 ? ('line' as const) : ('bar' as const);
  if (!ready) return <p className="p-4 text-soft">Drawing …</p>;
  if (measures.length === 0) return <p className="p-4 text-soft">None of the measures applies here.</p>;
  return (
    <div className="flex min-h-0 flex-1 flex-col p-4" role="img" aria-label={`Chart of ${measures.map((m) => m.name).join(', ')}`}>
      <div className="min-h-0 flex-1">
        <ChartView
          type={type}
          data={{
            labels: rows.map(
              (row) =>
                row
                  .slice(0, byCount)
                  .map((cell) => (cell === null ? 'unmatched' : String(cell)))
                  .join(' · ') || 'all',
            ),
            datasets: measures.map((m, k) => ({
              label: m.name,
              data: rows.map((row) => (row[m.i] === null ? null : Number(row[m.i]))),
              backgroundColor: ink(INKS[k % INKS.length]!),
              borderColor: ink(INKS[k % INKS.length]!),
              borderWidth: type === 'line' ? 1.8 : 0,
              pointRadius: 2,
            })),
          }}
          options={{
            maintainAspectRatio: false,
            scales: {
              x: { ticks: { color: ink('--soft'), maxRotation: 60 }, grid: { display: false } },
              y: { ticks: { color: ink('--soft') }, grid: { color: ink('--rule') } },
            },
            plugins: {
              legend: { labels: { color: ink('--ink'), boxWidth: 12 } },
              tooltip: {
                callbacks: {
                  label: (item) =>
                    `${item.dataset.label}: ${formatValue(rows[item.dataIndex]![measures[item.datasetIndex]!.i]!, measures[item.datasetIndex]!.type, formats[item.dataset.label ?? ''])}`,
                },
              },
            },
          }}
        />
      </div>
      {placed.length < answer.rows.length && (
        <p className="text-soft">
          without the unmatched member:{' '}
          {measures.map((m) => `${m.name} ${formatValue(answer.rows.at(-1)![m.i]!, m.type, formats[m.name])}`).join(', ')}
        </p>
      )}
      {answer.rows.length > MOST && <p className="text-soft">the first {MOST} members are drawn</p>}
    </div>
  );
}
