import { useEffect, useRef, useState } from 'react';
import { DATE_PATTERNS, datePattern, EPOCH_PATTERNS, TIMESTAMP_PATTERNS } from '@crease/core/values';
import type { ColumnPreview } from '@crease/core/reading';
import { Distribution, Gauge } from '../../parts/Marks.tsx';
import { count, percent } from '../../parts/text.ts';
import type { ArrivingColumn, Use, Written } from './arrival.ts';
import { useOf } from './arrival.ts';

const USES: readonly Use[] = ['key', 'reference', 'attribute', 'quantity'];
const TYPES = ['integer', 'decimal(9,2)', 'double', 'text', 'boolean', 'date', 'timestamp'];

/** Ways to write a number, by what stands between thousands and before the decimals. */
const NUMBERS: readonly (readonly [string, Written])[] = [
  ['1234.5', {}],
  ['1234,5', { decimalComma: true }],
  ['1,234.5', { thousands: ',' }],
  ['1.234,5', { thousands: '.', decimalComma: true }],
  ['1 234.5', { thousands: ' ' }],
  ['1 234,5', { thousands: ' ', decimalComma: true }],
  ["1'234.5", { thousands: "'" }],
];
const isSame = (a: Written, b: Written): boolean =>
  a.thousands === b.thousands && Boolean(a.decimalComma) === Boolean(b.decimalComma);

interface Props {
  readonly column: ArrivingColumn;
  readonly preview: ColumnPreview;
  readonly rows: number;
  /** Of a database: how its values are written is nobody's business. */
  readonly drawn: boolean;
  /** Whether the model does not have it yet: then its use is proposed. */
  readonly isNew: boolean;
  readonly onChange: (change: Partial<ArrivingColumn>) => void;
  /** A change of how values are read, which shows in a new preview. */
  readonly onRead: (change: Partial<ArrivingColumn>) => void;
}

/**
 * One column of a file before anything is stored: its name, type and the way its values are written, with
 * what the rows say of them.
 */
export function ColumnStrip({ column, preview, rows, drawn, isNew, onChange, onRead }: Props) {
  const types = TYPES.includes(column.type) ? TYPES : [column.type, ...TYPES];
  const { misfits } = preview;
  const use = useOf(column, preview, rows);
  return (
    <tr className={column.taken ? '' : 'opacity-45'}>
      <td>
        <input
          type="checkbox"
          checked={column.taken}
          onChange={(e) => onChange({ taken: e.target.checked })}
          aria-label={`Include ${column.name}`}
        />
      </td>
      <td>
        <input
          className="field h-[24px] w-[108px] border-transparent bg-transparent px-1 font-semibold hover:border-rule"
          value={column.name}
          aria-label={`Name of column ${column.place + 1}`}
          title={column.name === column.fileName ? column.name : `${column.fileName} in the file`}
          onChange={(e) => onChange({ name: e.target.value, named: true })}
        />
        {column.alike && (
          <span className="block px-1 text-[11px] text-vermilion">
            {column.fileName} in the file: the same column?
          </span>
        )}
        {isNew && (
          <select
            className="field block h-[24px] w-[108px] border-transparent bg-transparent px-1 text-[12px] text-soft hover:border-rule"
            aria-label={`Use of ${column.name}`}
            value={use.use}
            title={use.reason}
            onChange={(e) => onChange({ use: e.target.value as Use })}
          >
            {USES.map((u) => (
              <option key={u}>{u}</option>
            ))}
          </select>
        )}
      </td>
      <td className="whitespace-nowrap">
        <select
          className="field h-[24px] w-[114px] px-1"
          value={column.type}
          aria-label={`Type of ${column.name}`}
          onChange={(e) => onRead({ ...readAs(e.target.value), said: true, known: false })}
        >
          {types.map((t) => (
            <option key={t}>{t}</option>
          ))}
        </select>{' '}
        {!drawn && <WrittenAs column={column} onRead={onRead} />}
        <span className="block max-w-[230px] truncate text-[11px] text-soft" title={preview.reason}>
          {column.known ? 'as in the model' : preview.reason}
        </span>
        {preview.alsoFits !== undefined && !column.said && (
          <button
            className="btn btn-bare h-[20px] px-1 text-[11px]"
            onClick={() => onRead({ pattern: preview.alsoFits, said: true, known: false })}
          >
            Read as {preview.alsoFits}
          </button>
        )}
      </td>
      <td className="whitespace-nowrap">
        <Gauge
          part={rows ? 1 - preview.nulls / rows : 0}
          width={28}
          label={`${count(rows - preview.nulls)} of ${count(rows)} filled`}
        />{' '}
        <span className="text-soft">{percent(rows ? 1 - preview.nulls / rows : 0)}</span>
      </td>
      <td className="num">{count(preview.distinct)}</td>
      <td>
        <Distribution rows={preview.distribution} width={48} label={`Distribution of ${column.name}`} />
      </td>
      <td
        className="max-w-[104px] truncate text-soft"
        title={preview.extremes && `from ${preview.extremes[0]} to ${preview.extremes[1]}`}
      >
        {misfits.rows > 0 ? (
          <>
            <span
              className="block truncate text-vermilion"
              title={misfits.sample.map((m) => `“${m.text}” line ${m.lines[0]}`).join(', ')}
            >
              {count(misfits.rows)} {misfits.rows === 1 ? 'does' : 'do'} not fit
            </span>
            {!column.known && column.type !== 'text' && (
              <button
                className="btn btn-bare h-[20px] px-0 text-[11px]"
                aria-label={`Read ${column.name} as text`}
                title="Keeps every value as it is written"
                onClick={() => onRead({ ...readAs('text'), said: true, known: false })}
              >
                Read as text
              </button>
            )}
          </>
        ) : (
          preview.frequent
            .slice(0, 3)
            .map((f) => f.text)
            .join(' · ')
        )}
      </td>
    </tr>
  );
}

/** A type whose way of writing is to be found. */
const readAs = (type: string): Partial<ArrivingColumn> => ({
  type,
  pattern: undefined,
  decimalComma: undefined,
  thousands: undefined,
});

function WrittenAs({ column, onRead }: Pick<Props, 'column' | 'onRead'>) {
  if (column.type === 'date' || column.type === 'timestamp') {
    return <PatternField key={column.pattern} column={column} onRead={onRead} />;
  }
  if (!/^(integer|double|decimal)/.test(column.type)) return null;
  const ways = NUMBERS.some(([, way]) => isSame(way, column))
    ? NUMBERS
    : [...NUMBERS, ['as found', column] as const];
  return (
    <select
      className="field h-[24px] w-[78px] px-1"
      value={ways.find(([, way]) => isSame(way, column))![0]}
      aria-label={`Numbers of ${column.name}`}
      onChange={(e) => {
        const [, way] = ways.find(([text]) => text === e.target.value)!;
        onRead({
          decimalComma: way.decimalComma ?? false,
          thousands: way.thousands,
          said: true,
          known: false,
        });
      }}
    >
      {ways.map(([text]) => (
        <option key={text}>{text}</option>
      ))}
    </select>
  );
}

/** How long one may pause while typing a pattern before it is tried. */
const PAUSE_MS = 300;

/**
 * A pattern of days or moments: one of the usual ones, or what one types; how much fits is counted meanwhile.
 */
function PatternField({ column, onRead }: Pick<Props, 'column' | 'onRead'>) {
  const [text, setText] = useState(column.pattern ?? '');
  const isPattern = datePattern(text) !== undefined;
  const list = `patterns-${column.place}`;
  const read = useRef(onRead);
  useEffect(() => {
    read.current = onRead;
  });
  useEffect(() => {
    if (!isPattern || text === column.pattern) return;
    const timer = setTimeout(() => read.current({ pattern: text, said: true, known: false }), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [text, isPattern, column.pattern]);
  return (
    <>
      <input
        className="field h-[24px] w-[112px] px-1"
        list={list}
        value={text}
        aria-label={`Pattern of ${column.name}`}
        aria-invalid={!isPattern}
        title={
          isPattern
            ? 'yyyy yy MM M MMM dd d HH H hh h a mm ss SSS XXX; text in single quotes'
            : 'A pattern needs a year and a month: yyyy-MM-dd, d MMM yyyy, M/d/yyyy h:mm a'
        }
        onChange={(e) => setText(e.target.value)}
      />
      <datalist id={list}>
        {(column.type === 'date'
          ? DATE_PATTERNS
          : [...TIMESTAMP_PATTERNS, ...Object.keys(EPOCH_PATTERNS)]
        ).map((p) => (
          <option key={p}>{p}</option>
        ))}
      </datalist>
    </>
  );
}
