import { lazy, Suspense, useEffect, useMemo, useState } from 'react';
import { Plus } from 'lucide-react';
import type { FormulaState } from '@crease/contract';
import { api } from '@crease/contract';
import type { Edit } from '@crease/core/edit';
import type { Measure, ValueFormat } from '@crease/core/model';
import { FormatFields } from './FormatFields.tsx';
import { sameName } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { measureExample } from '../../parts/examples.ts';
import { VerdictMark } from '../../parts/Marks.tsx';
import { many } from '../../parts/text.ts';
import { MeasureValues } from './MeasureValues.tsx';

const FormulaEditor = lazy(() => import('../../parts/FormulaEditor.tsx'));
const NEW = ' new measure';

/** Measures: a catalog by folder, the formula of the selected one, and its values beside it. */
export function MeasuresStage() {
  const { model, claims, edit } = useModel();
  const [selection, select] = useSelection();
  const [creating, setCreating] = useState(false);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [search, setSearch] = useState('');
  const measures = useMemo(() => model.measures ?? [], [model]);
  const current = creating
    ? undefined
    : selection?.kind === 'measure'
      ? measures.find((m) => sameName(m.name, selection.name))
      : undefined;
  const found = measures.filter((m) =>
    [m.name, m.title, m.description, m.formula, m.folder]
      .join(' ')
      .toLowerCase()
      .includes(search.toLowerCase()),
  );
  const groups = Map.groupBy(found, (m) => m.folder ?? '');
  const isBroken = (name: string) =>
    (claims?.claims ?? []).some(
      (c) =>
        c.verdict === 'broken' &&
        c.about.some((a) => a.measure === name && a.table === undefined && a.perspective === undefined),
    );
  const bulk = measures.filter((m) => chosen.has(m.name));
  const setAll = (change: Partial<Measure>, says: string) =>
    void edit(
      bulk.map((m): Edit[number] => ({ do: 'put-measures', name: m.name, value: { ...m, ...change } })),
      says,
    );

  const design = (
    <>
      <LeafHead title="Measures" note={many(measures.length, 'measure')}>
        <input
          className="field w-[150px]"
          placeholder="Filter"
          aria-label="Filter"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <button
          className="btn"
          onClick={() => {
            select(undefined);
            setCreating(true);
          }}
        >
          <Plus size={14} aria-hidden /> Measure
        </button>
      </LeafHead>
      {(current ?? creating) && (
        <MeasureDesign
          key={current?.name ?? NEW}
          measure={current}
          onDone={(name) => {
            setCreating(false);
            if (name !== undefined) select({ kind: 'measure', name });
          }}
        />
      )}
      {bulk.length > 0 && (
        <div className="flex items-center gap-3 border-b border-rule bg-paper px-4 py-2">
          <b>{many(bulk.length, 'measure')}</b>
          <input
            className="field w-[140px]"
            placeholder="folder"
            aria-label="Folder of the chosen measures"
            onKeyDown={(e) =>
              e.key === 'Enter' &&
              setAll(
                { folder: e.currentTarget.value.trim() || undefined },
                `move ${bulk.length} measures to ${e.currentTarget.value.trim() || 'no folder'}`,
              )
            }
          />
          <select
            className="field"
            value=""
            aria-label="Decimals of the chosen measures"
            onChange={(e) =>
              e.target.value &&
              setAll(
                { format: { decimals: Number(e.target.value), thousands: true } },
                `show ${bulk.length} measures with ${e.target.value} decimals`,
              )
            }
          >
            <option value="">decimals …</option>
            {[0, 1, 2, 3].map((n) => (
              <option key={n}>{n}</option>
            ))}
          </select>
          <button className="btn" onClick={() => setAll({ hidden: true }, `hide ${bulk.length} measures`)}>
            Hide
          </button>
          <button
            className="btn"
            onClick={() => setAll({ hidden: undefined }, `show ${bulk.length} measures`)}
          >
            Show
          </button>
          <button className="btn btn-bare" onClick={() => setChosen(new Set())}>
            Clear
          </button>
        </div>
      )}
      <div className="min-h-0 flex-1 overflow-auto">
        {measures.length === 0 && !creating && (
          <Blank
            act={
              <button className="btn btn-act" onClick={() => setCreating(true)}>
                Add a measure
              </button>
            }
          >
            No measures yet. A measure is a formula over the rows that a context leaves, such as count(loan).
          </Blank>
        )}
        {[...groups].map(([folder, list]) => (
          <section key={folder} aria-label={folder || 'No folder'}>
            <h2 className="eyebrow border-b border-rule bg-paper px-4 py-1 font-sans">
              {folder || 'no folder'}
            </h2>
            {list.map((m, i) => (
              <div key={`${m.name}${i}`} className="flex items-center border-b border-rule">
                <input
                  type="checkbox"
                  className="ml-4"
                  aria-label={`Choose ${m.name}`}
                  checked={chosen.has(m.name)}
                  onChange={(e) =>
                    setChosen((s) =>
                      e.target.checked
                        ? new Set([...s, m.name])
                        : new Set([...s].filter((x) => x !== m.name)),
                    )
                  }
                />
                <button
                  className={`rowlink flex min-w-0 items-baseline gap-3 px-3 py-[5px] ${m.hidden ? 'opacity-55' : ''}`}
                  aria-current={current === m}
                  onClick={() => {
                    setCreating(false);
                    select({ kind: 'measure', name: m.name });
                  }}
                >
                  <span
                    className="w-[170px] shrink-0 truncate font-semibold"
                    title={[m.name, m.title, m.description].filter(Boolean).join(' · ')}
                  >
                    {m.name} {isBroken(m.name) && <VerdictMark verdict="broken" size={10} />}
                  </span>
                  <code className="min-w-0 flex-1 truncate text-soft">{m.formula.replace(/\s+/g, ' ')}</code>
                  <span className="text-[11px] text-soft">{m.hidden ? 'hidden' : ''}</span>
                </button>
              </div>
            ))}
          </section>
        ))}
      </div>
    </>
  );
  return (
    <Leaves
      label="Measures"
      design={design}
      evidence={
        <EvidenceLeaf>{current && <MeasureValues key={current.name} measure={current} />}</EvidenceLeaf>
      }
    />
  );
}

function MeasureDesign({
  measure,
  onDone,
}: {
  measure: Measure | undefined;
  onDone: (name?: string) => void;
}) {
  const { id, model, edit, fail, state } = useModel();
  const [draft, setDraft] = useState<Measure>(measure ?? { name: '', formula: '' });
  const [known, setKnown] = useState(measure);
  const [checked, setChecked] = useState<FormulaState>();
  // The measure has changed under the editor (undo, another window): take it over.
  if (measure !== known) {
    setKnown(measure);
    if (measure) setDraft(measure);
  }
  const formula = draft.formula;
  useEffect(() => {
    if (formula.trim() === '') return;
    const controller = new AbortController();
    const timer = setTimeout(() => {
      ask(
        api.questions.formula,
        { id },
        { formula, ...(measure ? { name: measure.name } : {}) },
        controller.signal,
      )
        .then(setChecked)
        .catch(fail);
    }, 180);
    return () => {
      clearTimeout(timer);
      controller.abort();
    };
  }, [formula, id, measure, fail, state.revision.id]);

  const changed = JSON.stringify(draft) !== JSON.stringify(measure ?? { name: '', formula: '' });
  const faults = formula.trim() === '' ? [] : (checked?.faults ?? []);
  const save = async () => {
    if (draft.name.trim() === '' || formula.trim() === '') return;
    const laidOut = checked && checked.faults.length === 0 ? checked.laidOut : formula.trim();
    const value: Measure = {
      ...draft,
      name: draft.name.trim(),
      formula: laidOut,
      ...(draft.table === undefined && checked?.bases[0] ? { table: checked.bases[0] } : {}),
    };
    // A new name first follows through all formulas that use the measure.
    const renamed: Edit =
      measure && measure.name !== value.name
        ? [{ do: 'rename', of: { measure: measure.name }, to: value.name }]
        : [];
    const name = measure ? value.name : null;
    if (
      await edit(
        [...renamed, { do: 'put-measures', name, value }],
        `${measure ? 'change' : 'add'} the measure ${value.name}`,
      )
    )
      onDone(value.name);
  };
  const format = draft.format ?? {};
  const setFormat = (change: ValueFormat) => setDraft((d) => ({ ...d, format: { ...d.format, ...change } }));
  return (
    <section aria-label="The measure" className="border-b border-rule-strong px-4 py-3">
      <div className="mb-2 flex gap-2">
        <input
          className="field flex-1 font-semibold"
          placeholder="Name of the measure"
          aria-label="Name of the measure"
          value={draft.name}
          onChange={(e) => setDraft((d) => ({ ...d, name: e.target.value }))}
        />
        <input
          className="field w-[130px]"
          placeholder="folder"
          aria-label="Folder"
          value={draft.folder ?? ''}
          onChange={(e) => setDraft((d) => ({ ...d, folder: e.target.value || undefined }))}
        />
      </div>
      <Suspense fallback={<div className="h-[84px] border border-rule-strong bg-raised" />}>
        <FormulaEditor
          value={formula}
          model={model}
          faults={faults}
          label="Formula"
          placeholder={measureExample(model)}
          onChange={(text) => setDraft((d) => ({ ...d, formula: text }))}
          onSave={() => void save()}
        />
      </Suspense>
      {faults.length > 0 ? (
        <ul className="mt-2" aria-label="Faults" role="status">
          {faults.map((f, i) => (
            <li key={i} className="flex items-baseline gap-2">
              <VerdictMark verdict="broken" size={10} />
              <span>
                {f.message} <span className="text-soft">({formula.slice(f.start, f.end) || 'end'})</span>
              </span>
            </li>
          ))}
        </ul>
      ) : (
        checked &&
        formula.trim() !== '' && (
          <p className="mt-2 text-soft">
            gives {checked.type ?? 'nothing'}; over rows of {checked.bases.join(', ') || 'no tables'}
            {checked.reachedBy.length > 0 && <>; reached by {checked.reachedBy.join(', ')}</>}
          </p>
        )
      )}
      <div className="mt-3 flex gap-2">
        <input
          className="field w-[200px]"
          placeholder="title"
          aria-label="Title"
          value={draft.title ?? ''}
          onChange={(e) => setDraft((d) => ({ ...d, title: e.target.value || undefined }))}
        />
        <input
          className="field flex-1"
          placeholder="description"
          aria-label="Description"
          value={draft.description ?? ''}
          onChange={(e) => setDraft((d) => ({ ...d, description: e.target.value || undefined }))}
        />
      </div>
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <FormatFields format={format} onChange={setFormat} />
        <label className="flex items-center gap-1 text-soft">
          <input
            type="checkbox"
            checked={draft.hidden ?? false}
            onChange={(e) => setDraft((d) => ({ ...d, hidden: e.target.checked || undefined }))}
          />{' '}
          hidden
        </label>
        <span className="flex-1" />
        {measure && (
          <button
            className="btn"
            onClick={() =>
              void edit(
                [{ do: 'remove-measures', name: measure.name }],
                `remove the measure ${measure.name}`,
              ).then((done) => done && onDone())
            }
          >
            Remove
          </button>
        )}
        {(changed || !measure) && (
          <button className="btn btn-bare" onClick={() => (measure ? setDraft(measure) : onDone())}>
            Cancel
          </button>
        )}
        <button
          className="btn btn-act"
          disabled={!changed || draft.name.trim() === '' || formula.trim() === ''}
          onClick={() => void save()}
          title="Ctrl+Enter"
        >
          Save
        </button>
      </div>
      {measure && <Uses measure={measure} checked={checked} />}
    </section>
  );
}

/** What a measure uses, and what uses it. */
function Uses({ measure, checked }: { measure: Measure; checked: FormulaState | undefined }) {
  const { model } = useModel();
  const [, select] = useSelection();
  const usedBy = (model.measures ?? []).filter(
    (m) => m.name !== measure.name && m.formula.toLowerCase().includes(`"${measure.name.toLowerCase()}"`),
  );
  if (!checked || (checked.measures.length === 0 && checked.columns.length === 0 && usedBy.length === 0))
    return null;
  const link = (kind: 'measure' | 'column', name: string) => (
    <button
      key={name}
      className="mr-2 underline decoration-rule-strong hover:decoration-ink"
      onClick={() => select({ kind, name })}
    >
      {name}
    </button>
  );
  return (
    <p className="mt-2 text-[12px]">
      {(checked.measures.length > 0 || checked.columns.length > 0) && (
        <>
          <span className="text-soft">uses </span>
          {checked.measures.map((n) => link('measure', n))}
          {checked.columns.map((n) => link('column', n))}
        </>
      )}
      {usedBy.length > 0 && (
        <>
          <span className="text-soft">used by </span>
          {usedBy.map((m) => link('measure', m.name))}
        </>
      )}
    </p>
  );
}
