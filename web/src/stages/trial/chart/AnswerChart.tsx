import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import {
  BarController,
  BarElement,
  BubbleController,
  CategoryScale,
  Chart,
  Decimation,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  ScatterController,
  TimeScale,
  Tooltip,
} from 'chart.js';
import 'chartjs-adapter-date-fns';
import { Chart as ChartCanvas } from 'react-chartjs-2';
import type { QueryState } from '@crease/contract';
import { saveFile } from '../../../state/save.ts';
import { useModel } from '../../../state/model.tsx';
import { formatValue } from '../../../parts/format.ts';
import { count, many } from '../../../parts/text.ts';
import type { ChartData } from './chartData.ts';
import { chartData } from './chartData.ts';
import { ChartTools } from './ChartTools.tsx';
import type { ChartForm, ChartView } from './forms.ts';
import { drawnMeasures, formOf } from './forms.ts';
import { ink } from './inks.ts';
import { Multiples } from './Multiples.tsx';
import type { Formats, OnPoint } from './options.ts';
import { dataset, pointOptions, seriesOptions } from './options.ts';
import type { Pointed } from './PointedAt.tsx';
import { PointedAt } from './PointedAt.tsx';
import { pointsData } from './pointsData.ts';
import { pictureOf } from './savePicture.ts';

Chart.register(
  BarController,
  BarElement,
  BubbleController,
  CategoryScale,
  Decimation,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  ScatterController,
  TimeScale,
  Tooltip,
);
Chart.defaults.font.family = 'Inter Variable';
// The other defaults of an animation stay: without them Chart.js does not know how to blend a colour.
if (matchMedia('(prefers-reduced-motion: reduce)').matches) Chart.defaults.animation = false;
else Object.assign(Chart.defaults.animation, { duration: 200 });

/** What is left out is said member by member up to here. */
const TOLD = 6;

/**
 * The answer as a chart, in the form that its members and measures propose or that one chooses: one series
 * for each member of the last attribute. A point chosen is a cell chosen.
 */
export default function AnswerChart({
  answer,
  byCount,
  formats,
  view,
  onView,
  onPoint,
}: {
  answer: QueryState;
  byCount: number;
  formats: Formats;
  view: ChartView;
  onView: (view: ChartView) => void;
  onPoint: OnPoint;
}) {
  const { model, fail } = useModel();
  const [ready, setReady] = useState(false);
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    // Text on a canvas is drawn once: the font has to be there before.
    void document.fonts.load('12px "Inter Variable"').then(() => setReady(true));
  }, []);
  const drawn = useMemo(() => chartData(answer, byCount), [answer, byCount]);
  const form = formOf(view, answer, drawn);
  // The chart is drawn anew where its options change: a choice of another cell changes none.
  const latest = useRef(onPoint);
  useEffect(() => {
    latest.current = onPoint;
  });
  const choose = useCallback<OnPoint>((cell) => latest.current(cell), []);
  if (!ready) return <p className="p-4 text-soft">Drawing …</p>;
  if (drawnMeasures(answer).length === 0)
    return <p className="p-4 text-soft">None of the measures is a number that applies here.</p>;
  const save = () =>
    void pictureOf(host.current!).then(
      (blob) => saveFile(`${model.name}.trial.png`, blob, 'image/png'),
      fail,
    );
  const isPoints = form === 'scatter' || form === 'bubble';
  return (
    <div className="flex min-h-0 flex-1 flex-col p-4">
      <ChartTools answer={answer} drawn={drawn} form={form} view={view} onView={onView} onSave={save} />
      <div
        ref={host}
        className={`relative min-h-0 flex-1 ${form === 'multiples' ? 'overflow-auto' : ''}`}
        role="img"
        aria-label={`Chart of ${drawnMeasures(answer).join(', ')}`}
      >
        {form === 'multiples' ? (
          <Multiples drawn={drawn} formats={formats} onPoint={choose} />
        ) : isPoints ? (
          <Points answer={answer} byCount={byCount} form={form} formats={formats} onPoint={choose} />
        ) : (
          <Series drawn={drawn} form={form} view={view} formats={formats} onPoint={choose} />
        )}
      </div>
      {!isPoints && <LeftOut drawn={drawn} formats={formats} />}
    </div>
  );
}

/** What is pointed at; a new object for the same place changes nothing. */
function usePointed() {
  const [pointed, setPointed] = useState<Pointed>();
  const set = useCallback(
    (next: Pointed | undefined) =>
      setPointed((now) => (JSON.stringify(now) === JSON.stringify(next) ? now : next)),
    [],
  );
  return [pointed, set] as const;
}

function Series({
  drawn,
  form,
  view,
  formats,
  onPoint,
}: {
  drawn: ChartData;
  form: ChartForm;
  view: ChartView;
  formats: Formats;
  onPoint: OnPoint;
}) {
  const [pointed, setPointed] = usePointed();
  const measures = new Set(drawn.series.map((s) => s.measure));
  // All of them at the right are all at one axis again.
  const right = view.right.filter((m) => measures.has(m));
  const apart = right.length === measures.size ? [] : right;
  const key = JSON.stringify([apart, view.sameScale]);
  const options = useMemo(
    () =>
      seriesOptions({
        drawn,
        form,
        view: { right: apart, sameScale: view.sameScale },
        formats,
        onPointed: setPointed,
        onPoint,
      }),
    [drawn, form, key, formats, setPointed, onPoint], // oxlint-disable-line react/exhaustive-deps
  );
  const data = useMemo(
    () => ({
      labels: [...drawn.labels],
      datasets: drawn.series.map((s, k) => dataset(s, k, form, apart)),
    }),
    [drawn, form, key], // oxlint-disable-line react/exhaustive-deps
  );
  return (
    <>
      {/* A chart of another form is another chart: options of the old one do not fit it. */}
      <ChartCanvas
        aria-hidden
        key={`${form} ${drawn.axis} ${key}`}
        type={form === 'line' ? 'line' : 'bar'}
        data={data}
        options={options}
      />
      {pointed && <PointedAt pointed={pointed} />}
    </>
  );
}

function Points({
  answer,
  byCount,
  form,
  formats,
  onPoint,
}: {
  answer: QueryState;
  byCount: number;
  form: 'scatter' | 'bubble';
  formats: Formats;
  onPoint: OnPoint;
}) {
  const [pointed, setPointed] = usePointed();
  const points = useMemo(() => pointsData(answer, byCount, form === 'bubble'), [answer, byCount, form]);
  const options = useMemo(() => {
    const types = points.measures.map((m) => answer.columns.find((c) => c.name === m)!.type);
    return pointOptions(points, formats, types, setPointed, onPoint);
  }, [points, answer, formats, setPointed, onPoint]);
  const data = useMemo(
    () => ({
      datasets: [
        {
          data: [...points.points],
          pointRadius: points.points.map((p) => p.r),
          backgroundColor: `${ink('--bar')}99`,
          borderColor: ink('--ink'),
          borderWidth: 1,
        },
      ],
    }),
    [points],
  );
  return (
    <>
      <div className="relative h-full">
        <ChartCanvas aria-hidden key={form} type={form} data={data as never} options={options as never} />
        {pointed && <PointedAt pointed={pointed} />}
      </div>
      {points.measures[2] !== undefined && (
        <p className="absolute right-2 top-0 text-[12px] text-soft">area: {points.measures[2]}</p>
      )}
      {points.leftOut > 0 && (
        <p className="absolute bottom-0 left-2 text-[12px] text-soft">
          {many(points.leftOut, 'row')} with a null measure {points.leftOut === 1 ? 'is' : 'are'} not drawn.
        </p>
      )}
    </>
  );
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
