import type { ModelColumn, Table } from '@crease/core/model';
import { count } from '../../parts/text.ts';
import type { SetColumns } from './columnChoices.ts';
import { AGGREGATES, USES } from './columnChoices.ts';

/** What can be said of the chosen columns at once. */
export function BulkBar({
  table,
  bulk,
  setColumns,
  onClear,
}: {
  table: Table;
  bulk: readonly ModelColumn[];
  setColumns: SetColumns;
  onClear: () => void;
}) {
  return (
    <div className="flex items-center gap-3 border-b border-rule bg-paper px-4 py-2">
      <b>{count(bulk.length)} columns</b>
      <BulkChoice
        label="Use of the chosen columns"
        text="use as …"
        options={USES}
        onChoose={(use) => setColumns(bulk, { use }, `use ${bulk.length} columns of ${table.name} as ${use}`)}
      />
      {bulk.every((c) => c.use === 'quantity') && (
        <BulkChoice
          label="Default aggregate of the chosen columns"
          text="aggregate by …"
          options={AGGREGATES}
          onChoose={(aggregate) =>
            setColumns(
              bulk,
              { aggregate },
              `aggregate ${bulk.length} columns of ${table.name} by ${aggregate}`,
            )
          }
        />
      )}
      <button
        className="btn"
        onClick={() => setColumns(bulk, { hidden: true }, `hide ${bulk.length} columns of ${table.name}`)}
      >
        Hide
      </button>
      <button
        className="btn"
        onClick={() => setColumns(bulk, { hidden: false }, `show ${bulk.length} columns of ${table.name}`)}
      >
        Show
      </button>
      <button className="btn btn-bare" onClick={onClear}>
        Clear
      </button>
    </div>
  );
}

/** One thing said of several columns at once. */
function BulkChoice<T extends string>({
  label,
  text,
  options,
  onChoose,
}: {
  label: string;
  text: string;
  options: readonly T[];
  onChoose: (option: T) => void;
}) {
  return (
    <select
      className="field"
      value=""
      aria-label={label}
      onChange={(e) => {
        const chosen = options.find((option) => option === e.target.value);
        if (chosen !== undefined) onChoose(chosen);
      }}
    >
      <option value="">{text}</option>
      {options.map((option) => (
        <option key={option}>{option}</option>
      ))}
    </select>
  );
}
