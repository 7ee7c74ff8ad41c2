import { useState } from 'react';
import type { Edit } from '@crease/core/edit';
import type { ModelColumn, Table } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { designedColumns } from './designedColumns.ts';

type Change = Extract<Edit[number], { do: 'set-column' }>['change'];

/**
 * What only a column has that is designed: the length of a text, numbers made by the database, its removal.
 */
export function DesignedColumn({
  column: c,
  inKey,
  onChange,
  onRemove,
}: {
  column: ModelColumn;
  inKey: boolean;
  onChange: (change: Change, says: string) => void;
  onRemove: () => void;
}) {
  return (
    <span className="mt-1 flex items-center gap-1 text-[11px]">
      {c.type === 'text' && (
        <input
          type="number"
          min={1}
          className="field h-[22px] w-[64px] px-1"
          placeholder="length"
          aria-label={`Length of ${c.name}`}
          key={c.length}
          defaultValue={c.length}
          onBlur={(e) => {
            const length = Number(e.target.value);
            if (length > 0 && length !== c.length) onChange({ length }, `set the length ${length}`);
          }}
          onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
        />
      )}
      {c.type === 'integer' && inKey && (
        <label className="flex items-center gap-1" title="The database numbers the rows itself">
          <input
            type="checkbox"
            checked={c.identity ?? false}
            onChange={(e) =>
              onChange(
                { identity: e.target.checked },
                e.target.checked ? 'make an identity' : 'undo the identity',
              )
            }
          />
          identity
        </label>
      )}
      <button
        className="btn btn-bare h-[22px]"
        aria-label={`Remove ${c.name}`}
        title="Remove"
        onClick={onRemove}
      >
        ×
      </button>
    </span>
  );
}

/** One more column of a table that is designed, written as where it was designed: name, type, use. */
export function AddColumn({ table }: { table: Table }) {
  const { edit } = useModel();
  const [text, setText] = useState('');
  const { columns, faults } = designedColumns(text);
  const add = async () => {
    if (columns.length === 0 || faults.length > 0) return;
    // The next one may be typed while this one is added; what is refused comes back.
    setText('');
    const done = await edit(
      () => columns.map((value) => ({ do: 'put-column' as const, table: table.name, value })),
      `add ${columns.map((c) => c.name).join(', ')} to ${table.name}`,
    );
    if (!done) setText((now) => (now === '' ? text : now));
  };
  return (
    <span className="mr-2 flex items-center gap-1">
      <input
        className="field h-[24px] w-[170px]"
        placeholder="name type use"
        aria-label={`New column of ${table.name}`}
        title={faults[0]?.replace('line 1: ', '') ?? 'Such as: opened_on date'}
        aria-invalid={faults.length > 0}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => e.key === 'Enter' && void add()}
      />
      <button
        className="btn h-[24px]"
        disabled={columns.length === 0 || faults.length > 0}
        onClick={() => void add()}
      >
        Add column
      </button>
    </span>
  );
}
