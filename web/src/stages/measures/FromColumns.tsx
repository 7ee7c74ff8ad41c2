import type { Quantity } from './baseMeasures.ts';
import { useMemo, useState } from 'react';
import { useModel } from '../../state/model.tsx';
import { many } from '../../parts/text.ts';
import type { BaseAggregate, BaseChoice } from './baseMeasures.ts';
import { BASE_AGGREGATES, baseMeasuresOf, editOfBase, quantitiesOf } from './baseMeasures.ts';

const PATTERN = '{aggregate} {column}';

/** Base measures of chosen quantities, several aggregates of each at once, with their names beforehand. */
export function FromColumns({ onDone }: { onDone: () => void }) {
  const { model, edit } = useModel();
  const all = useMemo(() => quantitiesOf(model), [model]);
  const [search, setSearch] = useState('');
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [aggregates, setAggregates] = useState<readonly BaseAggregate[]>(['sum']);
  const [countsRows, setCountsRows] = useState(false);
  const [pattern, setPattern] = useState(PATTERN);
  const [folder, setFolder] = useState('');
  const [hidesColumns, setHidesColumns] = useState(true);
  const quantities = all.filter((q) => chosen.has(q.path));
  const choice: BaseChoice = {
    quantities,
    aggregates,
    countsRows,
    pattern,
    folder: folder.trim(),
    hidesColumns,
  };
  const made = baseMeasuresOf(model, choice);
  const toggle = (path: string) =>
    setChosen((before) => {
      const next = new Set(before);
      if (!next.delete(path)) next.add(path);
      return next;
    });
  const save = async () => {
    // Made of the newest model: what another act has named meanwhile is not named twice.
    const says = `add ${many(made.length, 'base measure')}`;
    if (await edit((newest) => editOfBase(baseMeasuresOf(newest, choice), choice), says)) onDone();
  };
  const shown = all.filter((q) => q.path.toLowerCase().includes(search.toLowerCase()));
  return (
    <section aria-label="Measures from columns" className="border-b border-rule-strong px-4 py-3">
      <h2 className="mb-2 font-semibold">Measures from columns</h2>
      {all.length === 0 ? (
        <p className="text-soft">No fact has a column of numbers that is neither a key nor a reference.</p>
      ) : (
        <div className="grid grid-cols-2 gap-4">
          <QuantityList search={search} setSearch={setSearch} shown={shown} chosen={chosen} toggle={toggle} />
          <div className="flex flex-col gap-2">
            <AggregateChoice
              aggregates={aggregates}
              setAggregates={setAggregates}
              countsRows={countsRows}
              setCountsRows={setCountsRows}
            />
            <span className="flex gap-2">
              <input
                className="field min-w-0 flex-1"
                aria-label="Name pattern"
                title="{aggregate}, {column} and {table} are filled in"
                value={pattern}
                onChange={(e) => setPattern(e.target.value)}
              />
              <input
                className="field w-[110px]"
                placeholder="folder"
                aria-label="Folder of the new measures"
                value={folder}
                onChange={(e) => setFolder(e.target.value)}
              />
            </span>
            <label className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={hidesColumns}
                onChange={(e) => setHidesColumns(e.target.checked)}
              />
              hide the columns
            </label>
            <ul className="max-h-[86px] overflow-auto text-[12px]" aria-label="New measures" tabIndex={0}>
              {made.map(({ measure, wanted }) => (
                <li key={measure.name} className="truncate" title={measure.formula}>
                  {measure.name} <code className="text-soft">{measure.formula}</code>
                  {wanted !== undefined && <span className="text-soft"> · “{wanted}” is used already</span>}
                </li>
              ))}
            </ul>
          </div>
        </div>
      )}
      <div className="mt-3 flex justify-end gap-2">
        <button className="btn btn-bare" onClick={onDone}>
          Cancel
        </button>
        <button className="btn btn-act" disabled={made.length === 0} onClick={() => void save()}>
          {made.length === 0 ? 'Add' : `Add ${many(made.length, 'measure')}`}
        </button>
      </div>
    </section>
  );
}

/** Columns that can be aggregated, to choose from. */
function QuantityList({
  search,
  setSearch,
  shown,
  chosen,
  toggle,
}: {
  search: string;
  setSearch: (next: string) => void;
  shown: readonly Quantity[];
  chosen: ReadonlySet<string>;
  toggle: (path: string) => void;
}) {
  return (
    <div>
      <input
        className="field mb-1 w-full"
        placeholder="Search columns"
        aria-label="Search columns"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      <div className="h-[168px] overflow-auto border border-rule px-2 py-1" role="group" aria-label="Columns">
        {shown.map((q) => (
          <label key={q.path} className="flex items-center gap-2 truncate">
            <input type="checkbox" checked={chosen.has(q.path)} onChange={() => toggle(q.path)} />
            <span className="truncate">{q.path}</span>
            <span className="text-[11px] text-soft">{q.column.type}</span>
            {q.column.hidden && <span className="text-[11px] text-soft">hidden</span>}
          </label>
        ))}
      </div>
    </div>
  );
}

/** Which aggregates each column gets. */
function AggregateChoice({
  aggregates,
  setAggregates,
  countsRows,
  setCountsRows,
}: {
  aggregates: readonly BaseAggregate[];
  setAggregates: React.Dispatch<React.SetStateAction<readonly BaseAggregate[]>>;
  countsRows: boolean;
  setCountsRows: (next: boolean) => void;
}) {
  return (
    <span className="flex flex-wrap gap-3" role="group" aria-label="Aggregates">
      {(Object.keys(BASE_AGGREGATES) as BaseAggregate[]).map((aggregate) => (
        <label key={aggregate} className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={aggregates.includes(aggregate)}
            onChange={(e) =>
              setAggregates((before) =>
                e.target.checked ? [...before, aggregate] : before.filter((a) => a !== aggregate),
              )
            }
          />
          {aggregate}
        </label>
      ))}
      <label className="flex items-center gap-1">
        <input type="checkbox" checked={countsRows} onChange={(e) => setCountsRows(e.target.checked)} />
        count of rows
      </label>
    </span>
  );
}
