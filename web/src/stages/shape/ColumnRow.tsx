import type { ColumnFacts } from '@crease/contract';
import type { ModelColumn, Table } from '@crease/core/model';
import { isLoaded } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { Distribution } from '../../parts/Marks.tsx';
import { cellText, count } from '../../parts/text.ts';
import type { SetColumns } from './columnChoices.ts';
import { AGGREGATES, TYPES, USES } from './columnChoices.ts';
import { DesignedColumn } from './DesignedColumn.tsx';
import { TextField } from './TextField.tsx';

interface CellProps {
  readonly table: Table;
  readonly column: ModelColumn;
}

/** A column in the table's list: what it is called, its type and use, and what its rows hold. */
export function ColumnRow({
  table,
  column: c,
  facts: f,
  isChosen,
  onChoose,
  onFormula,
  setColumns,
}: CellProps & {
  facts: ColumnFacts | undefined;
  isChosen: boolean;
  onChoose: (take: boolean, range: boolean) => void;
  /** Opens the column's formula. */
  onFormula: () => void;
  setColumns: SetColumns;
}) {
  const { edit } = useModel();
  const remove = () =>
    void edit([{ do: 'remove-column', table: table.name, column: c.name }], `remove ${table.name}.${c.name}`);
  return (
    <tr>
      <td>
        <input
          type="checkbox"
          aria-label={`Choose ${c.name}`}
          checked={isChosen}
          title="Shift selects a range"
          onChange={(e) => onChoose(e.target.checked, (e.nativeEvent as MouseEvent).shiftKey)}
        />
      </td>
      <NameCell table={table} column={c} onFormula={onFormula} onRemove={remove} />
      <TypeCell table={table} column={c} setColumns={setColumns} onRemove={remove} />
      <UseCell table={table} column={c} setColumns={setColumns} />
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
      <FactCells table={table} column={c} facts={f} />
    </tr>
  );
}

/** The name; of the selected column a field in which it can be changed. */
function NameCell({
  table,
  column: c,
  onFormula,
  onRemove,
}: CellProps & { onFormula: () => void; onRemove: () => void }) {
  const { edit } = useModel();
  const [selection, select] = useSelection();
  const rename = async (name: string): Promise<boolean> => {
    if (name === '') return false;
    const done = await edit(
      [{ do: 'rename', of: { table: table.name, column: c.name }, to: name }],
      `rename ${table.name}.${c.name} to ${name}`,
    );
    if (done) select({ kind: 'column', name: `${table.name}.${name}` });
    return done;
  };
  return (
    <td>
      {selection?.kind === 'column' && selection.name === `${table.name}.${c.name}` ? (
        <TextField label={`Name of ${c.name}`} value={c.name} onSave={rename} />
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
            onClick={onFormula}
          >
            = {c.formula}
          </button>
          <button className="btn btn-bare h-[24px]" aria-label={`Remove ${c.name}`} onClick={onRemove}>
            ×
          </button>
        </span>
      )}
    </td>
  );
}

/** The type, which can be changed where the column is read or designed. */
function TypeCell({
  table,
  column: c,
  setColumns,
  onRemove,
}: CellProps & { setColumns: SetColumns; onRemove: () => void }) {
  const isDesigned = table.source === undefined;
  return (
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
          onChange={(change, says) => setColumns([c], change, `${says} of ${table.name}.${c.name}`)}
          onRemove={onRemove}
        />
      ) : (
        c.length !== undefined && <span className="block text-[11px]">up to {c.length}</span>
      )}
    </td>
  );
}

/** What the column is used for, and how a quantity is added up. */
function UseCell({ table, column: c, setColumns }: CellProps & { setColumns: SetColumns }) {
  return (
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
  );
}

/** What the rows hold, or why that is not known. */
function FactCells({ table, column: c, facts: f }: CellProps & { facts: ColumnFacts | undefined }) {
  return f?.fault !== undefined && table.source === undefined ? (
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
        {f && f.nulls > 0 && <span className="block text-[11px] text-soft">{count(f.nulls)} null</span>}
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
  );
}
