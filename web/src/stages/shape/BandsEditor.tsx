import { useState } from 'react';
import type { WriterProps } from './fields.tsx';
import { Choice, Row } from './fields.tsx';
import type { Band } from './bands.ts';
import { bandsFault, bandsFormula } from './bands.ts';

/** Bands by thresholds: writes the `case` for them. */
export function BandsEditor({ columns, onWrite, onClose }: WriterProps) {
  const numeric = columns.filter((c) => /^(integer|decimal|double)/.test(c.type)).map((c) => c.name);
  const [column, setColumn] = useState(numeric[0] ?? '');
  const [bands, setBands] = useState<readonly Band[]>([
    { name: 'low', below: '10' },
    { name: 'middle', below: '100' },
    { name: 'high', below: '' },
  ]);
  const put = (i: number, change: Partial<Band>) =>
    setBands(bands.map((b, k) => (k === i ? { ...b, ...change } : b)));
  const fault = numeric.length === 0 ? 'there is no column of numbers to classify' : bandsFault(bands);
  return (
    <fieldset className="flex flex-col gap-1 border border-rule-strong bg-leaf p-3" aria-label="Bands">
      <Row label="values of">
        <Choice label="Column to classify" value={column} options={numeric} onChange={setColumn} />
      </Row>
      {bands.map((band, i) => {
        const last = i === bands.length - 1;
        return (
          <Row key={i} label={last ? 'and above' : 'below'}>
            {!last && (
              <input
                className="field num w-[90px]"
                inputMode="decimal"
                aria-label={`Band ${i + 1} ends below`}
                value={band.below}
                onChange={(e) => put(i, { below: e.target.value })}
              />
            )}
            <span>is</span>
            <input
              className="field w-[140px]"
              aria-label={`Name of band ${i + 1}`}
              value={band.name}
              onChange={(e) => put(i, { name: e.target.value })}
            />
            {bands.length > 2 && (
              <button
                className="btn btn-bare"
                aria-label={`Remove band ${i + 1}`}
                onClick={() => setBands(bands.filter((_, k) => k !== i))}
              >
                ×
              </button>
            )}
          </Row>
        );
      })}
      <div className="mt-1 flex items-center gap-2">
        <button
          className="btn"
          onClick={() =>
            setBands([...bands.slice(0, -1), { name: `band ${bands.length}`, below: '' }, bands.at(-1)!])
          }
        >
          Add band
        </button>
        <button
          className="btn btn-act"
          disabled={fault !== undefined}
          onClick={() => onWrite(bandsFormula(column, bands), `${column}_band`)}
        >
          Insert formula
        </button>
        <button className="btn btn-bare" onClick={onClose}>
          Close
        </button>
        {fault && <span className="text-soft">{fault}</span>}
      </div>
    </fieldset>
  );
}
