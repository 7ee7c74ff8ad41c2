import { useState } from 'react';
import type { LoadPlan, RecipeState } from '@crease/contract';
import { ArrowDown, ArrowUp, X } from 'lucide-react';
import { IconButton } from '../../parts/IconButton.tsx';

type Step = LoadPlan['steps'][number];

const MADE: LoadPlan = { name: '', steps: [], isPaused: false, retries: 1, pauseSeconds: 60 };

/** Times that people mostly mean, as cron expressions. */
const TIMES: readonly (readonly [at: string, says: string])[] = [
  ['0 5 * * *', 'every day at 5:00'],
  ['0 5 * * 1-5', 'Monday to Friday at 5:00'],
  ['0 5 1 * *', 'on the first of each month at 5:00'],
  ['0 * * * *', 'every hour'],
];

/** A load plan: its recipes in their order, the files that they read, and when. */
export function PlanForm({
  plan,
  recipes,
  onKeep,
  onLeave,
}: {
  plan?: LoadPlan;
  recipes: readonly RecipeState[];
  onKeep: (plan: LoadPlan) => void;
  onLeave: () => void;
}) {
  const [typed, setTyped] = useState<LoadPlan>(plan ?? MADE);
  const { at: _, ...plain } = typed;
  const setStep = (i: number, step: Step) =>
    setTyped((t) => ({ ...t, steps: t.steps.map((s, k) => (k === i ? step : s)) }));
  const move = (i: number, by: number) =>
    setTyped((t) => {
      const steps = [...t.steps];
      const [step] = steps.splice(i, 1);
      steps.splice(i + by, 0, step!);
      return { ...t, steps };
    });
  const isWhole =
    typed.name.trim() !== '' &&
    typed.steps.length > 0 &&
    typed.steps.every((s) => readsDatabase(recipes, s.recipe) || (s.file ?? '') !== '');
  return (
    <form
      className="m-3 border border-rule bg-raised p-3"
      aria-label={plan ? `Load plan ${plan.name}` : 'New load plan'}
      onSubmit={(e) => {
        e.preventDefault();
        // Pausing is no part of the form: it may have been paused since this was opened.
        onKeep({ ...typed, isPaused: plan?.isPaused ?? false });
      }}
    >
      <label className="flex items-center gap-2">
        name
        <input
          className="field w-[180px]"
          value={typed.name}
          autoFocus
          onChange={(e) => setTyped({ ...typed, name: e.target.value })}
        />
      </label>
      <ol className="my-2">
        {typed.steps.map((step, i) => (
          <StepFields
            key={i}
            number={i + 1}
            step={step}
            isFile={!readsDatabase(recipes, step.recipe)}
            onChange={(next) => setStep(i, next)}
            onUp={i > 0 ? () => move(i, -1) : undefined}
            onDown={i < typed.steps.length - 1 ? () => move(i, 1) : undefined}
            onRemove={() => setTyped((t) => ({ ...t, steps: t.steps.filter((_s, k) => k !== i) }))}
          />
        ))}
      </ol>
      <label className="flex items-center gap-2">
        add
        <select
          className="field"
          aria-label="Add a recipe"
          value=""
          onChange={(e) => setTyped((t) => ({ ...t, steps: [...t.steps, { recipe: e.target.value }] }))}
        >
          <option value="">a recipe …</option>
          {recipes.map((r) => (
            <option key={r.name}>{r.name}</option>
          ))}
        </select>
      </label>
      <div className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-2">
        <label className="flex items-center gap-2">
          runs at
          <input
            className="field code w-[130px]"
            list="plan-times"
            placeholder="by hand"
            aria-label="Runs at"
            title="minute, hour, day of the month, month, day of the week"
            value={typed.at ?? ''}
            onChange={(e) => setTyped(e.target.value === '' ? plain : { ...plain, at: e.target.value })}
          />
          <datalist id="plan-times">
            {TIMES.map(([at, says]) => (
              <option key={at} value={at}>
                {says}
              </option>
            ))}
          </datalist>
        </label>
        <NumberField
          label="further tries"
          value={typed.retries}
          most={9}
          onChange={(retries) => setTyped({ ...typed, retries })}
        />
        <NumberField
          label="seconds between"
          value={typed.pauseSeconds}
          most={3600}
          onChange={(pauseSeconds) => setTyped({ ...typed, pauseSeconds })}
        />
      </div>
      <p className="mt-3 flex gap-2">
        <button className="btn btn-act" type="submit" disabled={!isWhole}>
          Save
        </button>
        <button className="btn" type="button" onClick={onLeave}>
          Cancel
        </button>
      </p>
    </form>
  );
}

const readsDatabase = (recipes: readonly RecipeState[], name: string): boolean =>
  recipes.find((r) => r.name === name)?.origin !== undefined;

function StepFields({
  number,
  step,
  isFile,
  onChange,
  onUp,
  onDown,
  onRemove,
}: {
  number: number;
  step: Step;
  isFile: boolean;
  onChange: (step: Step) => void;
  onUp: (() => void) | undefined;
  onDown: (() => void) | undefined;
  onRemove: () => void;
}) {
  const { file: _, ...plain } = step;
  return (
    <li className="flex items-center gap-2 py-[2px]">
      <span className="w-[16px] text-soft">{number}</span>
      <b className="w-[130px] truncate">{step.recipe}</b>
      {isFile && (
        <input
          className="field w-[230px]"
          aria-label={`File of step ${number}`}
          placeholder="incoming/loans-*.csv"
          title="Within the workspace's folder; * stands for any text, and the newest one is read"
          value={step.file ?? ''}
          onChange={(e) => onChange(e.target.value === '' ? plain : { ...plain, file: e.target.value })}
        />
      )}
      <IconButton label={`Step ${number} earlier`} title="Earlier" disabled={!onUp} onClick={() => onUp?.()}>
        <ArrowUp size={13} aria-hidden />
      </IconButton>
      <IconButton label={`Step ${number} later`} title="Later" disabled={!onDown} onClick={() => onDown?.()}>
        <ArrowDown size={13} aria-hidden />
      </IconButton>
      <IconButton label={`Remove step ${number}`} title="Remove" onClick={onRemove}>
        <X size={13} aria-hidden />
      </IconButton>
    </li>
  );
}

function NumberField({
  label,
  value,
  most,
  onChange,
}: {
  label: string;
  value: number;
  most: number;
  onChange: (value: number) => void;
}) {
  return (
    <label className="flex items-center gap-2">
      {label}
      <input
        type="number"
        min={0}
        max={most}
        className="field w-[76px]"
        value={value}
        onChange={(e) => onChange(Math.min(most, Math.max(0, Math.round(Number(e.target.value)))))}
      />
    </label>
  );
}
