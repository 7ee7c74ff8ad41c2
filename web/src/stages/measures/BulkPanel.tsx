import { useState } from 'react';
import type { Model, ValueFormat } from '@crease/core/model';
import { PerspectiveEffects } from '../../parts/PerspectiveEffects.tsx';
import { useModel } from '../../state/model.tsx';
import { many } from '../../parts/text.ts';
import type { BulkChange, NamePattern } from './bulk.ts';
import { editOfMany, removalOf, renamesOf } from './bulk.ts';
import type { Entry, UsedBy } from './catalog.ts';
import { FormatFields } from './FormatFields.tsx';

const TASKS = ['folder', 'format', 'table', 'description', 'names', 'remove'] as const;
type BulkTask = (typeof TASKS)[number];

/** What can be done to all chosen entries at once; everything is one act that can be undone. */
export function BulkPanel({
  entries,
  usedBy,
  onClear,
}: {
  entries: readonly Entry[];
  usedBy: UsedBy;
  onClear: () => void;
}) {
  const { model, edit } = useModel();
  const [task, setTask] = useState<BulkTask>('folder');
  const measures = entries.filter((e) => e.kind === 'measure').map((e) => e.name);
  const editable = entries.filter((e) => e.kind === 'measure' || e.kind === 'column');
  const what = many(editable.length, 'object');
  const change = (asked: BulkChange, says: string) => {
    const made = editOfMany(model, editable, asked);
    if (made.length > 0) void edit((newest) => editOfMany(newest, editable, asked), says);
  };
  const left = entries.length - editable.length;
  return (
    <section aria-label="Chosen objects" className="border-b border-rule bg-paper px-4 py-2">
      <div className="flex flex-wrap items-center gap-3">
        <b>{many(entries.length, 'object')}</b>
        {left > 0 && (
          <span
            className="text-soft"
            title="Periods follow their measure; derived tables are changed in Shape"
          >
            {left} cannot be changed here
          </span>
        )}
        <select
          className="field"
          aria-label="Change of the chosen objects"
          value={task}
          onChange={(e) => setTask(e.target.value as BulkTask)}
        >
          {TASKS.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
        <span className="flex-1" />
        <button className="btn" onClick={() => change({ hidden: true }, `hide ${what}`)}>
          Hide
        </button>
        <button className="btn" onClick={() => change({ hidden: false }, `show ${what}`)}>
          Show
        </button>
        <button className="btn btn-bare" onClick={onClear}>
          Clear
        </button>
      </div>
      <div className="mt-2">
        {task === 'folder' && (
          <TextTask
            label="Folder of the chosen objects"
            placeholder="folder"
            onApply={(folder) => change({ folder }, `move ${what} to ${folder || 'no folder'}`)}
          />
        )}
        {task === 'description' && (
          <TextTask
            label="Description of the chosen objects"
            placeholder="description"
            onApply={(description) => change({ description }, `describe ${what}`)}
          />
        )}
        {task === 'table' && (
          <label className="flex items-center gap-2 text-soft">
            table of the measures
            <select
              className="field"
              value=""
              onChange={(e) =>
                e.target.value !== '' &&
                change({ table: e.target.value }, `put ${what} under ${e.target.value}`)
              }
            >
              <option value="">choose …</option>
              {model.tables.map((t) => (
                <option key={t.name}>{t.name}</option>
              ))}
            </select>
          </label>
        )}
        {task === 'format' && <FormatTask onApply={(format) => change({ format }, `format ${what}`)} />}
        {task === 'names' && <NamesTask names={measures} onDone={onClear} />}
        {task === 'remove' && <RemoveTask names={measures} usedBy={usedBy} onDone={onClear} />}
      </div>
    </section>
  );
}

function TextTask({
  label,
  placeholder,
  onApply,
}: {
  label: string;
  placeholder: string;
  onApply: (text: string) => void;
}) {
  const [text, setText] = useState('');
  return (
    <form
      className="flex gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        onApply(text.trim());
      }}
    >
      <input
        className="field w-[280px]"
        aria-label={label}
        placeholder={placeholder}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <button className="btn">{text.trim() === '' ? `Remove the ${placeholder}` : 'Apply'}</button>
    </form>
  );
}

/** Parts of the format that are touched are changed; the others stay as each object has them. */
function FormatTask({ onApply }: { onApply: (format: ValueFormat) => void }) {
  const [format, setFormat] = useState<ValueFormat>({});
  const touched = Object.keys(format).length;
  return (
    <div className="flex flex-wrap items-center gap-3">
      <FormatFields format={format} onChange={(part) => setFormat((f) => ({ ...f, ...part }))} />
      <button className="btn" disabled={touched === 0} onClick={() => onApply(format)}>
        {touched === 0 ? 'Apply' : `Apply ${many(touched, 'part')}`}
      </button>
    </div>
  );
}

const NO_PATTERN: NamePattern = { find: '', replaceBy: '', before: '', after: '' };

/** New names by a pattern; formulas, trials and perspectives follow. */
function NamesTask({ names, onDone }: { names: readonly string[]; onDone: () => void }) {
  const { model, edit } = useModel();
  const [pattern, setPattern] = useState(NO_PATTERN);
  const { renames, clashes } = renamesOf(model, names, pattern);
  const field = (key: keyof NamePattern, label: string) => (
    <label className="text-soft">
      {label}{' '}
      <input
        className="field w-[110px]"
        value={pattern[key]}
        onChange={(e) => setPattern((p) => ({ ...p, [key]: e.target.value }))}
      />
    </label>
  );
  const apply = async () => {
    const acts = (newest: Model) =>
      renamesOf(newest, names, pattern).renames.map(({ from, to }) => ({
        do: 'rename' as const,
        of: { measure: from },
        to,
      }));
    if (await edit(acts, `rename ${many(renames.length, 'measure')}`)) onDone();
  };
  return (
    <div>
      <div className="flex flex-wrap items-center gap-3">
        {field('find', 'replace')}
        {field('replaceBy', 'by')}
        {field('before', 'add before')}
        {field('after', 'add after')}
        <button
          className="btn"
          disabled={renames.length === 0 || clashes.length > 0}
          onClick={() => void apply()}
        >
          Rename {many(renames.length, 'measure')}
        </button>
      </div>
      <p className="mt-1 truncate" role="status">
        {clashes.length > 0 ? (
          <span className="text-vermilion">{clashes.slice(0, 3).join('; ')}</span>
        ) : (
          renames
            .slice(0, 3)
            .map(({ from, to }) => `${from} → ${to}`)
            .join(' · ') + (renames.length > 3 ? ` and ${renames.length - 3} more` : '')
        )}
      </p>
    </div>
  );
}

/** Takes measures out, once one has read what uses them. */
function RemoveTask({
  names,
  usedBy,
  onDone,
}: {
  names: readonly string[];
  usedBy: UsedBy;
  onDone: () => void;
}) {
  const { model, edit } = useModel();
  const { breaks, edit: removal } = removalOf(model, names, usedBy);
  const says = `remove ${many(names.length, 'measure')}`;
  return (
    <div className="flex items-start gap-3">
      <button
        className="btn"
        disabled={names.length === 0}
        onClick={() =>
          void edit((newest) => removalOf(newest, names, usedBy).edit, says).then((done) => done && onDone())
        }
      >
        Remove {many(names.length, 'measure')}
      </button>
      <div role="status" className="max-h-[64px] flex-1 overflow-auto" tabIndex={0}>
        {breaks.length === 0
          ? 'Nothing else uses them. Their periods and their places in perspectives go with them.'
          : `Broken without them: ${breaks.join(', ')}.`}
        <PerspectiveEffects edit={removal} />
      </div>
    </div>
  );
}
