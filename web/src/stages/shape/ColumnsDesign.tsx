import { useRef, useState } from 'react';
import type { Edit } from '@crease/core/edit';
import type { ModelColumn, Table } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { useColumnFacts } from '../../evidence/SelectionFacts.tsx';
import { Versions } from './Versions.tsx';
import { TypeAdvicePanel } from './TypeAdvicePanel.tsx';
import { ColumnByFormula } from './ColumnByFormula.tsx';
import { AddColumn, DesignedColumn } from './DesignedColumn.tsx';
import { LookUp } from './LookUp.tsx';
import { RemoveTable } from './RemoveTable.tsx';
import { Distribution } from '../../parts/Marks.tsx';
import { grainExample } from '../../parts/examples.ts';
import { cellText, count } from '../../parts/text.ts';
import { isLoaded } from '@crease/core/model';
import { sourceKind } from '@crease/core/sources';

const USES = ['key', 'reference', 'attribute', 'quantity'] as const;
const AGGREGATES = ['sum', 'avg', 'min', 'max', 'count', 'distinct', 'none'] as const;

/** Of tables with more columns the first are listed, and those that are searched for. */
const MOST_SHOWN = 200;
const SEARCHED_FROM = 30;

const TYPES = ['integer', 'decimal(9,2)', 'double', 'text', 'boolean', 'date', 'timestamp'];

/** A table and its columns: role, grain, key, and what each column is used for, beside what its rows hold. */
export function ColumnsDesign({ table }: { table: Table }) {
  const { edit } = useModel();
  const [selection, select] = useSelection();
  const facts = useColumnFacts(table.name);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const last = useRef<string>(undefined);
  /** The column whose formula is open; empty for a new one. */
  const [formulaOf, setFormulaOf] = useState<string>();
  const [looking, setLooking] = useState(false);
  const set = (change: Extract<Edit[number], { do: 'set-table' }>['change'], says: string) =>
    void edit([{ do: 'set-table', table: table.name, change }], says);
  const setColumns = (
    list: readonly ModelColumn[],
    change: Extract<Edit[number], { do: 'set-column' }>['change'],
    says: string,
  ) =>
    void edit(
      list.map((c) => ({ do: 'set-column' as const, table: table.name, column: c.name, change })),
      says,
    );
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
  const renameColumn = async (column: string, name: string): Promise<boolean> => {
    if (name === '') return false;
    const done = await edit(
      [{ do: 'rename', of: { table: table.name, column }, to: name }],
      `rename ${table.name}.${column} to ${name}`,
    );
    if (done) select({ kind: 'column', name: `${table.name}.${name}` });
    return done;
  };
  /** Chooses a column, or with shift all from the one that was chosen last up to it. */
  const choose = (name: string, take: boolean, range: boolean) => {
    const order = table.columns.map((c) => c.name);
    const [at, from] = [order.indexOf(name), last.current === undefined ? -1 : order.indexOf(last.current)];
    const names = range && from >= 0 ? order.slice(Math.min(at, from), Math.max(at, from) + 1) : [name];
    setChosen((s) => new Set(take ? [...s, ...names] : [...s].filter((x) => !names.includes(x))));
    last.current = name;
  };
  const bulk = table.columns.filter((c) => chosen.has(c.name));
  const isDesigned = table.source === undefined;
  const [search, setSearch] = useState('');
  const found = table.columns.filter((c) => c.name.toLowerCase().includes(search.trim().toLowerCase()));
  // The selected column is shown wherever it is in the list.
  const shown = found.filter(
    (c, i) =>
      i < MOST_SHOWN || (selection?.kind === 'column' && selection.name === `${table.name}.${c.name}`),
  );
  const removeColumn = (column: string) =>
    void edit([{ do: 'remove-column', table: table.name, column }], `remove ${table.name}.${column}`);
  return (
    <>
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
        <span className="text-soft">Key</span>
        <span className="flex flex-wrap gap-1">
          {(table.key ?? []).map((k) => (
            <button
              key={k}
              className="btn h-[24px]"
              title="Remove from the key"
              onClick={() =>
                set({ key: table.key!.filter((x) => x !== k) }, `remove ${k} from the key of ${table.name}`)
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
              set(
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
        {table.role === 'dimension' && (
          <>
            <label htmlFor="label" className="text-soft">
              Label column
            </label>
            <select
              id="label"
              className="field w-[200px]"
              value={table.label ?? ''}
              onChange={(e) =>
                set(
                  { label: e.target.value },
                  `set the label of ${table.name} to ${e.target.value || 'the key'}`,
                )
              }
            >
              <option value="">the key</option>
              {table.columns.map((c) => (
                <option key={c.name}>{c.name}</option>
              ))}
            </select>
          </>
        )}
        {table.role === 'dimension' && <Versions table={table} onSet={set} />}
        {table.role === 'fact' && (
          <>
            <label htmlFor="snapshot" className="text-soft">
              Snapshot date
            </label>
            <select
              id="snapshot"
              className="field w-[200px]"
              value={table.snapshot ?? ''}
              onChange={(e) =>
                set(
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
        )}
      </div>
      <TypeAdvicePanel table={table.name} />
      {looking ? (
        <LookUp table={table} onClose={() => setLooking(false)} />
      ) : formulaOf === undefined ? (
        <p className="flex items-center border-b border-rule px-4 py-[6px]">
          <span className="flex-1 text-soft">
            {table.columns.length === 1 ? '1 column' : `${count(table.columns.length)} columns`}
            {found.length > shown.length &&
              `, the first ${count(MOST_SHOWN)} of ${count(found.length)} are listed`}
          </span>
          {table.columns.length >= SEARCHED_FROM && (
            <input
              className="field mr-2 h-[24px] w-[140px]"
              type="search"
              placeholder="find a column"
              aria-label="Find a column"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
          )}
          {isDesigned && <AddColumn table={table} />}
          <button className="btn h-[24px]" onClick={() => setFormulaOf('')}>
            Add a column by formula
          </button>
          {table.source && sourceKind(table.source).takesSteps && (
            <button className="btn ml-2 h-[24px]" onClick={() => setLooking(true)}>
              Look up column
            </button>
          )}
        </p>
      ) : (
        <ColumnByFormula
          key={formulaOf}
          table={table}
          column={formulaOf === '' ? undefined : formulaOf}
          onClose={() => setFormulaOf(undefined)}
        />
      )}
      {bulk.length > 1 && (
        <div className="flex items-center gap-3 border-b border-rule bg-paper px-4 py-2">
          <b>{count(bulk.length)} columns</b>
          <BulkChoice
            label="Use of the chosen columns"
            text="use as …"
            options={USES}
            onChoose={(use) =>
              setColumns(bulk, { use }, `use ${bulk.length} columns of ${table.name} as ${use}`)
            }
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
            onClick={() =>
              setColumns(bulk, { hidden: false }, `show ${bulk.length} columns of ${table.name}`)
            }
          >
            Show
          </button>
          <button className="btn btn-bare" onClick={() => setChosen(new Set())}>
            Clear
          </button>
        </div>
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
            {shown.map((c) => {
              const f = facts.data?.find((x) => x.name === c.name);
              return (
                <tr key={c.name}>
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`Choose ${c.name}`}
                      checked={chosen.has(c.name)}
                      title="Shift selects a range"
                      onChange={(e) =>
                        choose(c.name, e.target.checked, (e.nativeEvent as MouseEvent).shiftKey)
                      }
                    />
                  </td>
                  <td>
                    {selection?.kind === 'column' && selection.name === `${table.name}.${c.name}` ? (
                      <TextField
                        label={`Name of ${c.name}`}
                        value={c.name}
                        onSave={(name) => renameColumn(c.name, name)}
                      />
                    ) : (
                      <button
                        className="text-left font-semibold hover:underline"
                        onClick={() => select({ kind: 'column', name: `${table.name}.${c.name}` })}
                        title={c.sourceName === undefined ? 'Select' : `${c.sourceName} where it comes from`}
                      >
                        {c.name}
                      </button>
                    )}
                    {c.formula !== undefined && (
                      <span className="flex items-center">
                        <button
                          className="code block max-w-[128px] truncate text-left text-soft hover:underline"
                          title={c.formula}
                          aria-label={`Formula of ${c.name}`}
                          onClick={() => setFormulaOf(c.name)}
                        >
                          = {c.formula}
                        </button>
                        <button
                          className="btn btn-bare h-[24px]"
                          aria-label={`Remove ${c.name}`}
                          onClick={() => removeColumn(c.name)}
                        >
                          ×
                        </button>
                      </span>
                    )}
                  </td>
                  <td className="whitespace-nowrap text-soft">
                    {c.formula === undefined && (isLoaded(table) || isDesigned) ? (
                      <select
                        className="field h-[24px] w-[94px] px-1"
                        aria-label={`Type of ${c.name}`}
                        value={c.type}
                        title="Values that do not fit the type become null, and are listed"
                        onChange={(e) =>
                          setColumns(
                            [c],
                            { type: e.target.value, pattern: '' },
                            `set the type of ${table.name}.${c.name} to ${e.target.value}`,
                          )
                        }
                      >
                        {(TYPES.includes(c.type) ? TYPES : [c.type, ...TYPES]).map((t) => (
                          <option key={t}>{t}</option>
                        ))}
                      </select>
                    ) : (
                      c.type
                    )}
                    {isDesigned && c.formula === undefined ? (
                      <DesignedColumn
                        column={c}
                        inKey={(table.key ?? []).includes(c.name)}
                        onChange={(change, says) =>
                          setColumns([c], change, `${says} of ${table.name}.${c.name}`)
                        }
                        onRemove={() => removeColumn(c.name)}
                      />
                    ) : (
                      c.length !== undefined && <span className="block text-[11px]">up to {c.length}</span>
                    )}
                  </td>
                  <td>
                    <select
                      className="field h-[24px] w-[92px] px-1"
                      aria-label={`Use of ${c.name}`}
                      value={c.use ?? 'attribute'}
                      onChange={(e) =>
                        setColumns(
                          [c],
                          { use: e.target.value as ModelColumn['use'] },
                          `use ${table.name}.${c.name} as ${e.target.value}`,
                        )
                      }
                    >
                      {USES.map((u) => (
                        <option key={u}>{u}</option>
                      ))}
                    </select>
                    {c.use === 'quantity' && (
                      <select
                        className="field mt-1 block h-[24px] w-[92px] px-1"
                        aria-label={`Default aggregate of ${c.name}`}
                        value={c.aggregate ?? 'sum'}
                        onChange={(e) =>
                          setColumns(
                            [c],
                            { aggregate: e.target.value as ModelColumn['aggregate'] },
                            `aggregate ${table.name}.${c.name} by ${e.target.value}`,
                          )
                        }
                      >
                        {AGGREGATES.map((a) => (
                          <option key={a}>{a}</option>
                        ))}
                      </select>
                    )}
                  </td>
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`Show ${c.name}`}
                      checked={!c.hidden}
                      onChange={(e) =>
                        setColumns(
                          [c],
                          { hidden: !e.target.checked },
                          `${e.target.checked ? 'show' : 'hide'} ${table.name}.${c.name}`,
                        )
                      }
                    />
                  </td>
                  {f?.fault !== undefined && isDesigned ? (
                    <td colSpan={2} className="text-soft">
                      no rows yet
                    </td>
                  ) : f?.fault !== undefined ? (
                    <td colSpan={2} className="text-vermilion">
                      {f.fault}
                    </td>
                  ) : (
                    <>
                      <td className="num">
                        {f ? count(f.distinct) : ''}
                        {f && f.nulls > 0 && (
                          <span className="block text-[11px] text-soft">{count(f.nulls)} null</span>
                        )}
                      </td>
                      <td title={f ? `${cellText(f.least)} … ${cellText(f.greatest)}` : ''}>
                        {f && (
                          <Distribution
                            rows={f.distribution}
                            width={46}
                            height={18}
                            label={`Rows of ${c.name} by ranges of its values`}
                          />
                        )}
                      </td>
                    </>
                  )}
                </tr>
              );
            })}
          </tbody>
        </table>
        <RemoveTable table={table} />
        {facts.error && <p className="p-4 text-soft">{facts.error.message}</p>}
      </div>
    </>
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

/** A text that is saved when it is left or Enter is pressed; Escape takes it back. */
function TextField({
  id,
  label,
  value,
  placeholder,
  onSave,
}: {
  id?: string;
  label?: string;
  value: string;
  placeholder?: string;
  /** What gives false has not been saved: the field goes back to what it was. */
  onSave: (value: string) => void | Promise<boolean>;
}) {
  const [text, setText] = useState(value);
  const [known, setKnown] = useState(value);
  if (known !== value) {
    setKnown(value);
    setText(value);
  }
  const save = async () => {
    if (text.trim() !== value && (await onSave(text.trim())) === false) setText(value);
  };
  return (
    <input
      {...(id ? { id } : {})}
      {...(label ? { 'aria-label': label } : {})}
      className="field w-full"
      value={text}
      placeholder={placeholder}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => void save()}
      onKeyDown={(e) => {
        if (e.key === 'Enter') e.currentTarget.blur();
        if (e.key === 'Escape') setText(value);
      }}
    />
  );
}
