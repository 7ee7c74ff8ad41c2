import { useMemo, useState } from 'react';
import { useModel } from '../../state/model.tsx';
import { many } from '../../parts/text.ts';
import { pastedMeasures } from './sheet.ts';

/** Measures from cells of a spreadsheet: what they would do is read before it is done. */
export function PastePanel({ first, onDone }: { first: string; onDone: () => void }) {
  const { model, edit } = useModel();
  const [text, setText] = useState(first);
  const read = useMemo(() => pastedMeasures(model, text), [model, text]);
  const apply = async () => {
    const says = `paste ${many(read.added.length + read.changed.length, 'measure')}`;
    if (await edit((newest) => pastedMeasures(newest, text).edit, says)) onDone();
  };
  return (
    <section aria-label="Paste measures" className="border-b border-rule-strong px-4 py-3">
      <label className="block font-semibold" htmlFor="pasted">
        Cells of a spreadsheet
      </label>
      <p className="mb-1 text-soft">
        The first line names the columns: name, title, table, formula, folder, description, hidden, format.
      </p>
      <textarea
        id="pasted"
        autoFocus
        className="field h-[110px] w-full font-mono text-[12px]"
        spellCheck={false}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <p role="status" className="mt-1">
        {read.edit.length === 0 && read.refused.length === 0
          ? text.trim() === ''
            ? ''
            : 'Nothing changes.'
          : [
              read.added.length > 0 ? `${many(read.added.length, 'measure')} added` : '',
              read.changed.length > 0 ? `${many(read.changed.length, 'measure')} changed` : '',
            ]
              .filter(Boolean)
              .join(', ')}
      </p>
      {read.refused.length > 0 && (
        <ul
          className="max-h-[60px] overflow-auto text-vermilion"
          aria-label="Lines that cannot be taken"
          tabIndex={0}
        >
          {read.refused.map(({ line, why }) => (
            <li key={line}>
              line {line}: {why}
            </li>
          ))}
        </ul>
      )}
      <div className="mt-2 flex justify-end gap-2">
        <button className="btn btn-bare" onClick={onDone}>
          Cancel
        </button>
        <button className="btn btn-act" disabled={read.edit.length === 0} onClick={() => void apply()}>
          Apply
        </button>
      </div>
    </section>
  );
}
