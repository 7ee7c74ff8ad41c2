import { useState } from 'react';
import type { WriterProps } from './fields.tsx';
import { linkFault, linkFormula } from './links.ts';

/** A link made of the row's values: writes the formula that puts them together. */
export function LinkEditor({ columns, onWrite, onClose }: WriterProps) {
  const [pattern, setPattern] = useState('https://');
  const fault = linkFault(pattern, columns);
  return (
    <fieldset className="flex flex-col gap-1 border border-rule-strong bg-leaf p-3" aria-label="Link">
      <input
        className="field w-full"
        aria-label="Pattern of the link"
        value={pattern}
        spellCheck={false}
        onChange={(e) => setPattern(e.target.value)}
        autoFocus
      />
      <div className="flex flex-wrap items-center gap-1">
        <span className="mr-1 text-soft">Add column</span>
        {columns.map((c) => (
          <button
            key={c.name}
            type="button"
            className="btn h-[22px] px-2"
            aria-label={`Add ${c.name}`}
            onClick={() => setPattern(`${pattern}{${c.name}}`)}
          >
            {c.name}
          </button>
        ))}
      </div>
      <div className="mt-1 flex items-center gap-2">
        <button
          type="button"
          className="btn btn-act"
          disabled={fault !== undefined}
          onClick={() => onWrite(linkFormula(pattern, columns), 'link')}
        >
          Insert formula
        </button>
        <button type="button" className="btn btn-bare" onClick={onClose}>
          Close
        </button>
        {fault && <span className="text-soft">{fault}</span>}
      </div>
    </fieldset>
  );
}
