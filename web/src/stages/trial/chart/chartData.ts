import type { QueryState } from '@crease/contract';
import { isNumeric, memberText } from '../../../parts/format.ts';

type Cell = QueryState['rows'][number][number];

export interface ChartPoint {
  /** Milliseconds on a time axis, else the place of a member from 0. */
  readonly x: number;
  /** Null leaves a gap. */
  readonly y: number | null;
  /** What stands on the axis, as text. */
  readonly at: string;
  /** As the answer has it: exact. */
  readonly value: Cell;
  /** Its row and column in the answer; none for a gap. */
  readonly row: number;
  readonly column: number;
}

export interface ChartSeries {
  readonly label: string;
  readonly measure: string;
  readonly type: string;
  readonly points: readonly ChartPoint[];
}

/** An answer laid out for drawing. */
export interface ChartData {
  /** The form that is proposed. */
  readonly form: 'line' | 'bar';
  readonly axis: 'time' | 'members';
  /** Of a time axis: the coarsest unit in which its members are told apart. */
  readonly unit: TimeUnit | undefined;
  /** Members in the order of the answer, of an axis of members. */
  readonly labels: readonly string[];
  readonly series: readonly ChartSeries[];
  /** Cells that have no place on a time axis: the members that are no time, with their values. */
  readonly leftOut: readonly {
    readonly member: string;
    readonly measure: string;
    readonly type: string;
    readonly value: Cell;
  }[];
}

export type TimeUnit = 'day' | 'month' | 'quarter' | 'year' | 'second';

/** The local midnight that begins a day, in milliseconds; years before 100 are what they say. */
function startOf(year: number, month: number, day: number): number {
  const date = new Date(2000, month - 1, day);
  date.setFullYear(year, month - 1, day);
  return date.getTime();
}

/** Ways in which a text or a number is a time. */
const WRITTEN: readonly { unit: TimeUnit; pattern: RegExp; read: (m: RegExpExecArray) => number }[] = [
  {
    unit: 'day',
    pattern: /^(\d{4})-(\d\d)-(\d\d)$/,
    read: (m) => startOf(Number(m[1]), Number(m[2]), Number(m[3])),
  },
  {
    unit: 'second',
    pattern: /^(\d{4})-(\d\d)-(\d\d)T(\d\d):(\d\d):(\d\d(?:\.\d+)?)$/,
    read: (m) =>
      startOf(Number(m[1]), Number(m[2]), Number(m[3])) +
      Number(m[4]) * 3_600_000 +
      Number(m[5]) * 60_000 +
      Number(m[6]) * 1000,
  },
  {
    unit: 'month',
    pattern: /^(\d{4})-(0[1-9]|1[0-2])$/,
    read: (m) => startOf(Number(m[1]), Number(m[2]), 1),
  },
  {
    unit: 'quarter',
    pattern: /^(\d{4})-Q([1-4])$/,
    read: (m) => startOf(Number(m[1]), Number(m[2]) * 3 - 2, 1),
  },
];
const YEAR = {
  unit: 'year' as const,
  pattern: /^([1-9]\d{3})$/,
  read: (m: RegExpExecArray) => startOf(Number(m[1]), 1, 1),
};

/** How the members of a column are times; undefined where one of them is none. */
function timeOf(
  name: string,
  values: readonly Cell[],
): { unit: TimeUnit; at: (value: Cell) => number | undefined } | undefined {
  const plain = values.filter((v): v is string | number => typeof v === 'string' || typeof v === 'number');
  if (plain.length === 0) return undefined;
  const ways = /year/i.test(name.split('.').at(-1)!) ? [...WRITTEN, YEAR] : WRITTEN;
  const way = ways.find(({ pattern }) => plain.every((v) => pattern.test(String(v))));
  if (!way) return undefined;
  const at = (value: Cell) => {
    const match =
      typeof value === 'string' || typeof value === 'number' ? way.pattern.exec(String(value)) : null;
    return match ? way.read(match) : undefined;
  };
  return { unit: way.unit, at };
}

/** Members that follow each other in time without being a time of their own, such as the months of a year. */
const isSequence = (name: string): boolean => /(year|quarter|month|week|day)/i.test(name.split('.').at(-1)!);

/**
 * Lays an answer out: one series for each measure and member of the last attribute, along the others. Where
 * the last attribute is the only one that is a time, it is the axis, and the series are the members of the
 * others.
 */
export function chartData(answer: QueryState, byCount: number): ChartData {
  const by = answer.columns.slice(0, byCount);
  const times = by.map((c, i) =>
    timeOf(
      c.name,
      answer.rows.map((r) => r[i]!),
    ),
  );
  const last = byCount - 1;
  const along =
    byCount < 2
      ? by.map((_, i) => i)
      : times[last] && times.slice(0, last).every((t) => !t)
        ? [last]
        : [...by.keys()].slice(0, -1);
  const across = [...by.keys()].filter((i) => !along.includes(i));
  const text = (row: readonly Cell[], places: readonly number[]) =>
    places.map((i) => memberText(row[i]!, by[i]!.type)).join(' · ');
  const time = along.length === 1 ? times[along[0]!] : undefined;
  const measures = answer.columns
    .map((c, i) => ({ ...c, i }))
    .filter(({ i, name, type }) => i >= byCount && isNumeric(type) && !isUnreached(answer, name));
  const places = new Map<string, number>();
  const series = new Map<string, ChartSeries & { points: ChartPoint[] }>();
  const leftOut: ChartData['leftOut'][number][] = [];
  for (const [place, row] of answer.rows.entries()) {
    const at = text(row, along) || 'all';
    const x = time ? time.at(row[along[0]!]!) : (places.get(at) ?? places.set(at, places.size).size - 1);
    const member = text(row, across);
    for (const m of measures) {
      const value = row[m.i]!;
      if (x === undefined) {
        leftOut.push({
          member: member === '' ? at : `${at} · ${member}`,
          measure: m.name,
          type: m.type,
          value,
        });
        continue;
      }
      const label = member === '' ? m.name : measures.length === 1 ? member : `${member}, ${m.name}`;
      const key = JSON.stringify([member, m.i]);
      if (!series.has(key)) series.set(key, { label, measure: m.name, type: m.type, points: [] });
      series
        .get(key)!
        .points.push({ x, y: value === null ? null : Number(value), at, value, row: place, column: m.i });
    }
  }
  const inTime = time !== undefined || along.some((i) => isSequence(by[i]!.name));
  const positions = time
    ? new Set([...series.values()].flatMap((s) => s.points.map((p) => p.x))).size
    : places.size;
  return {
    form: inTime && positions > 1 ? 'line' : 'bar',
    axis: time ? 'time' : 'members',
    unit: time?.unit,
    labels: [...places.keys()],
    series: [...series.values()].map((s) => ({
      ...s,
      points: withGaps(
        [...s.points].sort((a, b) => a.x - b.x),
        time?.unit,
      ),
    })),
    leftOut,
  };
}

/** Beyond so many points in a series no gaps are put between them. */
const MOST_GAPPED = 5000;

/** Points with a null one wherever a day, month, quarter or year is missing between two of them. */
function withGaps(points: readonly ChartPoint[], unit: TimeUnit | undefined): readonly ChartPoint[] {
  if (unit === undefined || unit === 'second' || points.length > MOST_GAPPED) return points;
  return points.flatMap((point, i) => {
    const next = points[i + 1];
    const after = following(point.x, unit);
    return next && after < next.x
      ? [point, { x: after, y: null, at: '', value: null, row: -1, column: point.column }]
      : [point];
  });
}

/** The local midnight that begins the next unit. */
function following(x: number, unit: Exclude<TimeUnit, 'second'>): number {
  const date = new Date(x);
  if (unit === 'day') date.setDate(date.getDate() + 1);
  else date.setMonth(date.getMonth() + { month: 1, quarter: 3, year: 12 }[unit]);
  return date.getTime();
}

const isUnreached = (answer: QueryState, measure: string): boolean =>
  answer.unreached.some(([m]) => m === measure);
