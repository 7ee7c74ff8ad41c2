import { useRef, useState } from 'react';
import type { Table } from '@crease/core/model';
import { sourceKind } from '@crease/core/sources';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { useColumnFacts } from '../../evidence/SelectionFacts.tsx';
import { count } from '../../parts/text.ts';
import { BulkBar } from './BulkBar.tsx';
import { ColumnByFormula } from './ColumnByFormula.tsx';
import type { SetColumns } from './columnChoices.ts';
import { ColumnRow } from './ColumnRow.tsx';
import { AddColumn } from './DesignedColumn.tsx';
import { LookUp } from './LookUp.tsx';
import { RemoveTable } from './RemoveTable.tsx';
import { TableSettings } from './TableSettings.tsx';
import { TypeAdvicePanel } from './TypeAdvicePanel.tsx';

/** Of tables with more columns the first are listed, and those that are searched for. */
const MOST_SHOWN = 200;
const SEARCHED_FROM = 30;

/** A table and its columns: role, grain, key, and what each column is used for, beside what its rows hold. */
export function ColumnsDesign({ table }: { table: Table }) {
  const { edit } = useModel();
  const [selection] = useSelection();
  const facts = useColumnFacts(table.name);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const last = useRef<string>(undefined);
  /** The column whose formula is open; empty for a new one. */
  const [formulaOf, setFormulaOf] = useState<string>();
  const [looking, setLooking] = useState(false);
  const setColumns: SetColumns = (list, change, says) =>
    void edit(
      list.map((c) => ({ do: 'set-column' as const, table: table.name, column: c.name, change })),
      says,
    );
  /** Chooses a column, or with shift all from the one that was chosen last up to it. */
  const choose = (name: string, take: boolean, range: boolean) => {
    const order = table.columns.map((c) => c.name);
    const [at, from] = [order.indexOf(name), last.current === undefined ? -1 : order.indexOf(last.current)];
    const names = range && from >= 0 ? order.slice(Math.min(at, from), Math.max(at, from) + 1) : [name];
    setChosen((s) => new Set(take ? [...s, ...names] : [...s].filter((x) => !names.includes(x))));
    last.current = name;
  };
  const bulk = table.columns.filter((c) => chosen.has(c.name));
  const [search, setSearch] = useState('');
  const found = table.columns.filter((c) => c.name.toLowerCase().includes(search.trim().toLowerCase()));
  // The selected column is shown wherever it is in the list.
  const shown = found.filter(
    (c, i) =>
      i < MOST_SHOWN || (selection?.kind === 'column' && selection.name === `${table.name}.${c.name}`),
  );
  return (
    <>
      <TableSettings table={table} />
      <TypeAdvicePanel table={table.name} />
      {looking ? (
        <LookUp table={table} onClose={() => setLooking(false)} />
      ) : formulaOf === undefined ? (
        <ColumnTools
          table={table}
          found={found.length}
          listed={shown.length}
          search={search}
          onSearch={setSearch}
          onFormula={() => setFormulaOf('')}
          onLookUp={() => setLooking(true)}
        />
      ) : (
        <ColumnByFormula
          key={formulaOf}
          table={table}
          column={formulaOf === '' ? undefined : formulaOf}
          onClose={() => setFormulaOf(undefined)}
        />
      )}
      {bulk.length > 1 && (
        <BulkBar table={table} bulk={bulk} setColumns={setColumns} onClear={() => setChosen(new Set())} />
      )}
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="grid-plain" aria-label={`Columns of ${table.name}`}>
          <thead>
            <tr>
              <th scope="col">
                <input
                  type="checkbox"
                  aria-label="Choose all columns"
                  checked={chosen.size === table.columns.length && table.columns.length > 0}
                  onChange={(e) => setChosen(new Set(e.target.checked ? found.map((c) => c.name) : []))}
                />
              </th>
              <th scope="col">column</th>
              <th scope="col">type</th>
              <th scope="col">use</th>
              <th scope="col" title="Whether users of the model see it">
                show
              </th>
              <th scope="col" className="num">
                distinct
              </th>
              <th scope="col">values</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((c) => (
              <ColumnRow
                key={c.name}
                table={table}
                column={c}
                facts={facts.data?.find((x) => x.name === c.name)}
                isChosen={chosen.has(c.name)}
                onChoose={(take, range) => choose(c.name, take, range)}
                onFormula={() => setFormulaOf(c.name)}
                setColumns={setColumns}
              />
            ))}
          </tbody>
        </table>
        <RemoveTable table={table} />
        {facts.error && <p className="p-4 text-soft">{facts.error.message}</p>}
      </div>
    </>
  );
}

/** How many columns there are, a search among many, and how one is added. */
function ColumnTools({
  table,
  found,
  listed,
  search,
  onSearch,
  onFormula,
  onLookUp,
}: {
  table: Table;
  /** How many columns the search finds. */
  found: number;
  /** How many of them are listed. */
  listed: number;
  search: string;
  onSearch: (search: string) => void;
  onFormula: () => void;
  onLookUp: () => void;
}) {
  return (
    <p className="flex items-center border-b border-rule px-4 py-[6px]">
      <span className="flex-1 text-soft">
        {table.columns.length === 1 ? '1 column' : `${count(table.columns.length)} columns`}
        {found > listed && `, the first ${count(MOST_SHOWN)} of ${count(found)} are listed`}
      </span>
      {table.columns.length >= SEARCHED_FROM && (
        <input
          className="field mr-2 h-[24px] w-[140px]"
          type="search"
          placeholder="find a column"
          aria-label="Find a column"
          value={search}
          onChange={(e) => onSearch(e.target.value)}
        />
      )}
      {table.source === undefined && <AddColumn table={table} />}
      <button className="btn h-[24px]" onClick={onFormula}>
        Add a column by formula
      </button>
      {table.source && sourceKind(table.source).takesSteps && (
        <button className="btn ml-2 h-[24px]" onClick={onLookUp}>
          Look up column
        </button>
      )}
    </p>
  );
}
