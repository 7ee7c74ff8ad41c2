import type { Edit } from '@crease/core/edit';
import type { Table } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { grainExample } from '../../parts/examples.ts';
import { TextField } from './TextField.tsx';
import { Versions } from './Versions.tsx';

interface FieldProps {
  readonly table: Table;
  readonly onSet: (change: Extract<Edit[number], { do: 'set-table' }>['change'], says: string) => void;
}

/** What a table is: its name, grain, key, and by its role its label, versions or snapshot day. */
export function TableSettings({ table }: { table: Table }) {
  const { edit } = useModel();
  const [, select] = useSelection();
  const set = (change: Extract<Edit[number], { do: 'set-table' }>['change'], says: string) =>
    void edit([{ do: 'set-table', table: table.name, change }], says);
  /** The new name follows through all formulas; the table stays selected. */
  const rename = async (name: string): Promise<boolean> => {
    if (name === '') return false;
    const done = await edit(
      [{ do: 'rename', of: { table: table.name }, to: name }],
      `rename ${table.name} to ${name}`,
    );
    if (done) select({ kind: 'table', name });
    return done;
  };
  return (
    <div className="grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-2 border-b border-rule px-4 py-3">
      <label htmlFor="called" className="text-soft">
        Name
      </label>
      <TextField id="called" value={table.name} onSave={rename} />
      <label htmlFor="grain" className="text-soft">
        Grain
      </label>
      <TextField
        id="grain"
        value={table.grain ?? ''}
        placeholder={grainExample(table)}
        onSave={(grain) =>
          set(
            { grain },
            grain ? `set the grain of ${table.name} to ${grain}` : `remove the grain of ${table.name}`,
          )
        }
      />
      <KeyField table={table} onSet={set} />
      {table.role === 'dimension' && <LabelField table={table} onSet={set} />}
      {table.role === 'dimension' && <Versions table={table} onSet={set} />}
      {table.role === 'fact' && <SnapshotField table={table} onSet={set} />}
    </div>
  );
}

/** The columns of the key, to take out and to add to. */
function KeyField({ table, onSet }: FieldProps) {
  return (
    <>
      <span className="text-soft">Key</span>
      <span className="flex flex-wrap gap-1">
        {(table.key ?? []).map((k) => (
          <button
            key={k}
            className="btn h-[24px]"
            title="Remove from the key"
            onClick={() =>
              onSet({ key: table.key!.filter((x) => x !== k) }, `remove ${k} from the key of ${table.name}`)
            }
          >
            {k} <span aria-hidden>×</span>
          </button>
        ))}
        <select
          className="field h-[24px]"
          value=""
          aria-label="Add a column to the key"
          onChange={(e) =>
            e.target.value &&
            onSet(
              { key: [...(table.key ?? []), e.target.value] },
              `add ${e.target.value} to the key of ${table.name}`,
            )
          }
        >
          <option value="">add …</option>
          {table.columns
            .filter((c) => !(table.key ?? []).includes(c.name))
            .map((c) => (
              <option key={c.name}>{c.name}</option>
            ))}
        </select>
      </span>
    </>
  );
}

/** The column whose text names a member. */
function LabelField({ table, onSet }: FieldProps) {
  return (
    <>
      <label htmlFor="label" className="text-soft">
        Label column
      </label>
      <select
        id="label"
        className="field w-[200px]"
        value={table.label ?? ''}
        onChange={(e) =>
          onSet({ label: e.target.value }, `set the label of ${table.name} to ${e.target.value || 'the key'}`)
        }
      >
        <option value="">the key</option>
        {table.columns.map((c) => (
          <option key={c.name}>{c.name}</option>
        ))}
      </select>
    </>
  );
}

/** The day of a snapshot, along which nothing is added up. */
function SnapshotField({ table, onSet }: FieldProps) {
  return (
    <>
      <label htmlFor="snapshot" className="text-soft">
        Snapshot date
      </label>
      <select
        id="snapshot"
        className="field w-[200px]"
        value={table.snapshot ?? ''}
        onChange={(e) =>
          onSet(
            { snapshot: e.target.value || null },
            e.target.value
              ? `set the snapshot date of ${table.name} to ${e.target.value}`
              : `clear the snapshot date of ${table.name}`,
          )
        }
      >
        <option value="">not a snapshot</option>
        {table.columns
          .filter((c) => c.type === 'date')
          .map((c) => (
            <option key={c.name}>{c.name}</option>
          ))}
      </select>
    </>
  );
}
