import type { MeasureDraft } from './measureDraft.ts';
import type { CheckedText } from './useCheckedFormula.ts';
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
import { NameFields, TitleFields } from './MeasureFields.tsx';

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
  const { edit } = useModel();
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
      <NameFields draft={draft} setDraft={setDraft} />
      <FormulaField
        formula={formula}
        faults={faults}
        check={check}
        changed={changed}
        setDraft={setDraft}
        save={save}
      />
      {faults.length > 0 ? (
        <Faults faults={faults} formula={formula} />
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
      <TitleFields draft={draft} setDraft={setDraft} />
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
      <MeasureFoot
        check={check}
        draft={draft}
        setDraft={setDraft}
        measure={measure}
        usedBy={usedBy}
        onDone={onDone}
        changed={changed}
        setHeld={setHeld}
        formula={formula}
        save={save}
      />
      {measure && <PeriodFields measure={measure} bases={check?.state.bases ?? []} />}
      {measure && <MeasureUse name={measure.name} uses={uses} usedBy={usedBy} />}
    </section>
  );
}

/** The formula, with what is wrong in it underlined; names in it lead to what they name. */
function FormulaField({
  formula,
  faults,
  check,
  changed,
  setDraft,
  save,
}: {
  formula: string;
  faults: {
    start: number;
    end: number;
    message: string;
    line?: number | undefined;
    column?: number | undefined;
  }[];
  check: CheckedText | undefined;
  changed: boolean;
  setDraft: (by: (draft: Measure) => Measure) => void;
  save: () => Promise<void>;
}) {
  const { model, tell } = useModel();
  const [, select] = useSelection();
  return (
    <Suspense fallback={<div className="h-[84px] border border-rule-strong bg-raised" />}>
      <FormulaEditor
        value={formula}
        model={model}
        faults={faults}
        label="Formula"
        placeholder={measureExample(model)}
        reached={
          check && check.state.bases.length > 0 ? [...check.state.bases, ...check.state.reachedBy] : undefined
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
  );
}

/** What is wrong with the formula, and where. */
function Faults({
  faults,
  formula,
}: {
  faults: {
    start: number;
    end: number;
    message: string;
    line?: number | undefined;
    column?: number | undefined;
  }[];
  formula: string;
}) {
  return (
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
  );
}

/** What the measure goes by, its goal, and what becomes of the draft. */
function MeasureFoot({
  check,
  draft,
  setDraft,
  measure,
  usedBy,
  onDone,
  changed,
  setHeld,
  formula,
  save,
}: {
  check: CheckedText | undefined;
  draft: Measure;
  setDraft: (by: (draft: Measure) => Measure) => void;
  measure: Measure | undefined;
  usedBy: UsedBy;
  onDone: (name?: string) => void;
  changed: boolean;
  setHeld: (next: MeasureDraft) => void;
  formula: string;
  save: () => Promise<void>;
}) {
  const { edit } = useModel();
  return (
    <div className="mt-3 flex flex-wrap items-center gap-3">
      <GoesByField
        bases={check?.state.bases ?? []}
        via={draft.via}
        onChange={(via) => setDraft((d) => ({ ...d, via }))}
      />
      <GoalFields own={draft.name} goal={draft.goal} onChange={(goal) => setDraft((d) => ({ ...d, goal }))} />
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
  );
}
