import { lazy, Suspense, useState } from 'react';
import type { Edit } from '@crease/core/edit';
import { layOutFormula } from '@crease/core/formula';
import type { Measure, ValueFormat } from '@crease/core/model';
import { ImpactOfEdit } from '../../parts/ImpactOfEdit.tsx';
import { PerspectiveEffects } from '../../parts/PerspectiveEffects.tsx';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { measureExample } from '../../parts/examples.ts';
import { VerdictMark } from '../../parts/Marks.tsx';
import { removalOf } from './bulk.ts';
import type { UsedBy } from './catalog.ts';
import { FormatFields } from './FormatFields.tsx';
import { GoalFields } from './GoalFields.tsx';
import { GoesByField } from './GoesByField.tsx';
import { draftOf, isTouched, withNewest } from './measureDraft.ts';
import { MeasureUse } from './MeasureUse.tsx';
import { PeriodFields } from './PeriodFields.tsx';
import { useCheckedFormula } from './useCheckedFormula.ts';

const FormulaEditor = lazy(() => import('../../parts/FormulaEditor.tsx'));

/** One measure: its name, its formula, how its values are shown, what it goes by and should come to. */
export function MeasureDesign({
  measure,
  uses,
  usedBy,
  onDone,
}: {
  measure: Measure | undefined;
  uses: ReadonlyMap<string, readonly string[]>;
  usedBy: UsedBy;
  onDone: (name?: string) => void;
}) {
  const { model, edit, tell } = useModel();
  const [, select] = useSelection();
  const [held, setHeld] = useState(() => draftOf(measure));
  // The model has changed under the editor (undo, another window).
  if (measure !== held.known) setHeld(withNewest(held, measure));
  const draft = held.measure;
  const setDraft = (by: (draft: Measure) => Measure) => setHeld((h) => ({ ...h, measure: by(h.measure) }));
  const formula = draft.formula;
  const check = useCheckedFormula(draft, measure?.name);
  // What was said of the formula before the last keys is not said of this one.
  const checked = check?.of === formula ? check.state : undefined;
  const changed = isTouched(held);
  const faults = formula.trim() === '' ? [] : (checked?.faults ?? []);
  const value: Measure = {
    ...draft,
    name: draft.name.trim(),
    formula: layOutFormula(formula),
    ...(draft.table === undefined && checked?.bases[0] ? { table: checked.bases[0] } : {}),
  };
  // A new name first follows through all formulas that use the measure.
  const made: Edit = [
    ...(measure && measure.name !== value.name
      ? [{ do: 'rename' as const, of: { measure: measure.name }, to: value.name }]
      : []),
    { do: 'put-measures', name: measure ? value.name : null, value },
  ];
  const isNamed = value.name !== '' && formula.trim() !== '';
  const save = async () => {
    if (!isNamed) return;
    setHeld((h) => ({ ...h, saved: value }));
    if (await edit(made, `${measure ? 'change' : 'add'} the measure ${value.name}`)) onDone(value.name);
  };
  const format = draft.format ?? {};
  const setFormat = (change: ValueFormat) => setDraft((d) => ({ ...d, format: { ...d.format, ...change } }));
  return (
    <section
      aria-label="The measure"
      className="max-h-[62%] shrink-0 overflow-auto border-b border-rule-strong px-4 py-3"
    >
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
          reached={
            check && check.state.bases.length > 0
              ? [...check.state.bases, ...check.state.reachedBy]
              : undefined
          }
          onGoTo={({ kind, name }) =>
            changed
              ? tell({ tone: 'plain', text: `Save or discard the changes before going to ${name}` })
              : select({ kind, name })
          }
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
      {held.isBehind && changed && (
        <p role="status" className="mt-2">
          This measure was changed elsewhere meanwhile: Save replaces that, Cancel shows it.
        </p>
      )}
      {measure && changed && isNamed && <PerspectiveEffects edit={made} />}
      {measure && changed && isNamed && (
        <ImpactOfEdit edit={checked && faults.length === 0 ? made : undefined} />
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
      </div>
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <GoesByField
          bases={check?.state.bases ?? []}
          via={draft.via}
          onChange={(via) => setDraft((d) => ({ ...d, via }))}
        />
        <GoalFields
          own={draft.name}
          goal={draft.goal}
          onChange={(goal) => setDraft((d) => ({ ...d, goal }))}
        />
        <span className="flex-1" />
        {measure && (
          <button
            className="btn"
            onClick={() =>
              void edit(
                (newest) => removalOf(newest, [measure.name], usedBy).edit,
                `remove the measure ${measure.name}`,
              ).then((done) => done && onDone())
            }
          >
            Remove
          </button>
        )}
        {(changed || !measure) && (
          <button className="btn btn-bare" onClick={() => (measure ? setHeld(draftOf(measure)) : onDone())}>
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
      {measure && <PeriodFields measure={measure} bases={check?.state.bases ?? []} />}
      {measure && <MeasureUse name={measure.name} uses={uses} usedBy={usedBy} />}
    </section>
  );
}
