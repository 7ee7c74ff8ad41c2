import type { ModelColumn } from '@crease/core/model';
import type { ColumnFormulaState } from '@crease/contract';
import { lazy, Suspense, useState } from 'react';
import { api } from '@crease/contract';
import type { Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { Cell } from '../../parts/Cell.tsx';
import { columnExample } from '../../parts/examples.ts';
import { count, many, percent } from '../../parts/text.ts';
import { BandsEditor } from './BandsEditor.tsx';
import { LinkEditor } from './LinkEditor.tsx';
import { useAsked } from '../../state/useAsked.ts';
import { useLater } from './useLater.ts';

const FormulaEditor = lazy(() => import('../../parts/FormulaEditor.tsx'));

/** Editors that write a formula. */
const WRITERS = [
  { what: 'bands', title: 'Bands …', editor: BandsEditor },
  { what: 'link', title: 'Link …', editor: LinkEditor },
] as const;

/**
 * A column derived by a formula of its row, new or changed, with what it gives for the first rows while one
 * types.
 */
export function ColumnByFormula({
  table,
  column,
  onClose,
}: {
  table: Table;
  column: string | undefined;
  onClose: () => void;
}) {
  const { id, model, edit, state } = useModel();
  const known = table.columns.find((c) => c.name === column);
  const [name, setName] = useState(known?.name ?? '');
  const [formula, setFormula] = useState(known?.formula ?? '');
  /** The editor that writes the formula, if one is open. */
  const [writer, setWriter] = useState<'bands' | 'link'>();
  const tried = useLater(formula);
  const {
    answer: data,
    error,
    isCurrent,
  } = useAsked(
    tried.trim() === '' ? undefined : ['column formula', id, state.revision.id],
    { table: table.name, formula: tried },
    (question) => ask(api.questions.columnFormula, { id }, question),
  );
  const taken = known === undefined && table.columns.some((c) => sameName(c.name, name.trim()));
  const sound =
    data !== undefined &&
    data.type !== null &&
    data.type !== 'null' &&
    data.faults.length === 0 &&
    tried === formula &&
    isCurrent;
  const Writer = WRITERS.find((w) => w.what === writer)?.editor;
  const save = async () => {
    if (!sound || name.trim() === '' || taken) return;
    const numeric = /^(integer|decimal|double)/.test(data.type!);
    const value = {
      ...(known ?? { use: numeric ? ('quantity' as const) : ('attribute' as const) }),
      name: known?.name ?? name.trim(),
      type: data.type!,
      formula: data.laidOut,
    };
    if (
      await edit(
        [{ do: 'put-column', table: table.name, value }],
        `${table.name}.${value.name} is ${data.laidOut.split('\n')[0]!.slice(0, 80)}`,
      )
    )
      onClose();
  };
  return (
    <section
      className="border-b border-rule bg-raised px-4 py-3"
      aria-label={known ? `Formula of ${known.name}` : 'Column by formula'}
    >
      <FormulaHead
        known={known}
        name={name}
        setName={setName}
        type={sound ? data.type! : undefined}
        setWriter={setWriter}
        writer={writer}
        taken={taken}
        save={save}
        onClose={onClose}
      />
      {taken && <p className="mt-1 text-vermilion">{table.name} already has a column of this name</p>}
      {Writer && (
        <WriterOf
          Writer={Writer}
          table={table}
          setFormula={setFormula}
          name={name}
          setName={setName}
          setWriter={setWriter}
        />
      )}
      <div className="mt-2">
        <Suspense fallback={<p className="text-soft">Opening the editor …</p>}>
          <FormulaEditor
            own={table.name}
            value={formula}
            model={model}
            faults={tried === formula && isCurrent ? (data?.faults ?? []) : []}
            label="Formula of the column"
            placeholder={columnExample(table)}
            onChange={setFormula}
            onSave={() => void save()}
          />
        </Suspense>
      </div>
      {formula.trim() !== '' && data?.faults[0] && tried === formula && isCurrent && (
        <p className="mt-1 text-vermilion">{data.faults[0].message}</p>
      )}
      {error && <p className="mt-1 text-vermilion">{error.message}</p>}
      {data && data.faults.length === 0 && data.rows.length > 0 && <FormulaTrial data={data} />}
      {data && data.looked > 0 && (
        <p className="mt-1 text-soft">
          Of {data.looked < 50_000 ? 'all' : 'the first'} {many(data.looked, 'row')}: {count(data.distinct)}{' '}
          different values, {percent(data.nulls / data.looked)} null.
        </p>
      )}
    </section>
  );
}

/** The name of the column, ways to have a formula written, and what is done with it. */
function FormulaHead({
  known,
  name,
  setName,
  type,
  setWriter,
  writer,
  taken,
  save,
  onClose,
}: {
  known: ModelColumn | undefined;
  name: string;
  setName: (next: string) => void;
  /** What a sound formula gives. */
  type: string | undefined;
  setWriter: (next: 'link' | 'bands' | undefined) => void;
  writer: 'link' | 'bands' | undefined;
  taken: boolean;
  save: () => Promise<void>;
  onClose: () => void;
}) {
  return (
    <div className="flex items-center gap-2">
      {known ? (
        <b>{known.name} =</b>
      ) : (
        <>
          <input
            className="field w-[170px]"
            placeholder="column name"
            aria-label="Name of the column"
            value={name}
            onChange={(e) => setName(e.target.value)}
            autoFocus
          />
          <span>=</span>
        </>
      )}
      <span className="flex-1 text-soft">{type}</span>
      {WRITERS.map(({ what, title }) => (
        <button
          key={what}
          className="btn"
          onClick={() => setWriter(writer === what ? undefined : what)}
          aria-expanded={writer === what}
        >
          {title}
        </button>
      ))}
      <button
        className="btn btn-act"
        disabled={type === undefined || name.trim() === '' || taken}
        onClick={() => void save()}
        title="Ctrl+Enter"
      >
        {known ? 'Save formula' : 'Add column'}
      </button>
      <button className="btn btn-bare" onClick={onClose}>
        Close
      </button>
    </div>
  );
}

/** A form that writes the formula. */
function WriterOf({
  Writer,
  table,
  setFormula,
  name,
  setName,
  setWriter,
}: {
  Writer: (typeof WRITERS)[number]['editor'];
  table: Table;
  setFormula: (next: string) => void;
  name: string;
  setName: (next: string) => void;
  setWriter: (next: 'link' | 'bands' | undefined) => void;
}) {
  return (
    <div className="mt-2">
      <Writer
        columns={table.columns}
        onWrite={(text, suggested) => {
          setFormula(text);
          if (name === '') setName(suggested);
          setWriter(undefined);
        }}
        onClose={() => setWriter(undefined)}
      />
    </div>
  );
}

/** What the formula gives for the first rows. */
function FormulaTrial({ data }: { data: ColumnFormulaState }) {
  return (
    <div
      className="mt-2 max-h-[190px] overflow-auto border border-rule"
      tabIndex={0}
      role="group"
      aria-label="What the formula gives, to scroll"
    >
      <table className="grid-plain" aria-label="What the formula gives">
        <thead>
          <tr>
            {data.columns.map((c) => (
              <th key={c} scope="col">
                {c}
              </th>
            ))}
            <th scope="col">gives</th>
          </tr>
        </thead>
        <tbody>
          {data.rows.map((row, i) => (
            <tr key={i}>
              {row.used.map((cell, j) => (
                <td key={j} className="text-soft">
                  <Cell value={cell} type={data.types[j]!} />
                </td>
              ))}
              <td className="font-semibold">
                <Cell value={row.gives} type={data.type ?? 'text'} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
