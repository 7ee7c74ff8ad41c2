import { useState } from 'react';
import type { FilePreview } from '@crease/core/reading';
import type { Arrival } from './arrival.ts';

const DELIMITERS: readonly (readonly [string, string])[] = [
  [',', 'comma'],
  [';', 'semicolon'],
  ['\t', 'tab'],
  ['|', 'bar'],
];
const ENCODINGS = ['utf-8', 'windows-1252', 'utf-16le', 'utf-16be'] as const;
const QUOTES: readonly (readonly [string, string])[] = [
  ['"', '" quotes'],
  ["'", "' quotes"],
  ['', 'no quotes'],
];

interface Props {
  readonly preview: FilePreview;
  readonly onDialect: (part: NonNullable<Arrival['dialect']>) => void;
  readonly onNulls: (nulls: readonly string[]) => void;
}

/** How a delimited file is written, as it was found out and as it is corrected. */
export function DialectFields({ preview, onDialect, onNulls }: Props) {
  return (
    <div className="flex w-full flex-wrap items-center gap-2">
      <select
        className="field w-[92px] px-1"
        aria-label="Delimiter"
        value={preview.dialect.delimiter}
        onChange={(e) => onDialect({ delimiter: e.target.value })}
      >
        {DELIMITERS.map(([value, name]) => (
          <option key={name} value={value}>
            {name}
          </option>
        ))}
      </select>
      <select
        className="field w-[108px] px-1"
        aria-label="Encoding"
        value={preview.dialect.encoding}
        onChange={(e) => onDialect({ encoding: e.target.value as (typeof ENCODINGS)[number] })}
      >
        {ENCODINGS.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
      <select
        className="field w-[86px] px-1"
        aria-label="Quotes"
        value={preview.dialect.quote}
        onChange={(e) => onDialect({ quote: e.target.value })}
      >
        {QUOTES.map(([value, name]) => (
          <option key={name} value={value}>
            {name}
          </option>
        ))}
      </select>
      <label
        className="flex items-center gap-1"
        title="Lines before the header or the first row, such as a title or an export date"
      >
        lines to skip
        <input
          type="number"
          min={0}
          max={1000}
          className="field w-[46px] px-1"
          value={preview.dialect.skip ?? 0}
          onChange={(e) => onDialect({ skip: Math.max(0, Math.floor(Number(e.target.value))) })}
        />
      </label>
      <NullTexts key={preview.nulls.join('\n')} nulls={preview.nulls} onChange={onNulls} />
      <label className="flex items-center gap-1">
        <input
          type="checkbox"
          checked={preview.dialect.header}
          onChange={(e) => onDialect({ header: e.target.checked })}
        />{' '}
        header
      </label>
    </div>
  );
}

/** Texts that stand for null, apart by blanks; the empty text always does. */
function NullTexts({
  nulls,
  onChange,
}: {
  nulls: readonly string[];
  onChange: (nulls: readonly string[]) => void;
}) {
  const [text, setText] = useState(nulls.filter((n) => n !== '').join(' '));
  const say = () => {
    const said = ['', ...text.split(/\s+/).filter((n) => n !== '')];
    if (said.join('\n') !== nulls.join('\n')) onChange(said);
  };
  return (
    <label className="flex items-center gap-1" title="In addition to the empty text; separated by blanks">
      null texts
      <input
        className="field w-[70px] px-1"
        value={text}
        placeholder="NULL N/A"
        aria-label="Texts that stand for null"
        onChange={(e) => setText(e.target.value)}
        onBlur={say}
        onKeyDown={(e) => {
          if (e.key === 'Enter') say();
        }}
      />
    </label>
  );
}
