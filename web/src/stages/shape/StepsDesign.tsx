import type { StepState } from '@crease/core/shape';
import type { JoinFacts } from '@crease/core/shape';
import type { JoinFinding } from '@crease/core/shape';
import { useState } from 'react';
import { count, many } from '../../parts/text.ts';
import { StepForm } from './StepForm.tsx';
import { emptyStep, STEP_KINDS, stepText } from '@crease/core/shape';
import type { Step } from '@crease/core/model';
import type { StepWork } from './steps.ts';
import { isOff, shownStep, verbOf } from './steps.ts';

/**
 * The steps of a derived table as a list, with the rows that stand after each; the chosen one is open to be
 * changed.
 */
export function StepsDesign({ work }: { work: StepWork }) {
  const { steps, trace, place, look, set, table } = work;
  const [moved, setMoved] = useState<number>();
  const put = (at: number, step: Step) => set(steps.map((s, i) => (i === at ? step : s)));
  const move = (from: number, to: number) => {
    if (to < 1 || to >= steps.length || from < 1) return;
    const next = steps.filter((_, i) => i !== from);
    next.splice(to, 0, steps[from]!);
    set(next);
    look(to + 1);
  };
  const add = (verb: string) => {
    const before = trace?.states[place - 1];
    set([...steps.slice(0, place), emptyStep(verb, before?.columns ?? []), ...steps.slice(place)]);
    look(place + 1);
  };
  const fault = work.waiting ? undefined : trace?.fault;
  const metAt = (i: number) =>
    trace?.states[i]?.join ??
    trace?.states[i]?.lookup ??
    (trace?.fault?.place === i + 1 ? trace.fault.join : undefined);
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      {work.changed && <UnsavedSteps fault={fault} work={work} />}
      <ol className="min-h-0 flex-1 overflow-auto" aria-label={`Steps of ${table.name}`}>
        {steps.map((step, i) => {
          const state = trace?.states[i];
          const before = trace?.states[i - 1];
          const open = place === i + 1;
          const findings = work.waiting ? [] : (metAt(i)?.findings ?? []);
          return (
            <li
              key={i}
              className={`border-b border-rule ${open ? 'bg-raised' : ''} ${moved === i ? 'opacity-50' : ''}`}
              onDragOver={(e) => i > 0 && moved !== undefined && e.preventDefault()}
              onDrop={() => moved !== undefined && move(moved, i)}
            >
              <StepLine
                i={i}
                setMoved={setMoved}
                step={step}
                open={open}
                look={look}
                move={move}
                set={set}
                steps={steps}
                work={work}
                state={state}
                before={before}
              />
              {(findings.length > 0 || fault?.place === i + 1) && (
                <StepFindings findings={findings} fault={fault} i={i} />
              )}
              {open && (
                <div className="px-4 pb-3 pl-[38px]">
                  <StepForm step={step} place={i + 1} work={work} onChange={(next) => put(i, next)} />
                  {fault?.place === i + 1 && (
                    <p role="alert" className="mt-2 text-vermilion">
                      {fault.message}
                    </p>
                  )}
                  {i > 0 && (
                    <StepTools i={i} move={move} steps={steps} put={put} step={step} set={set} look={look} />
                  )}
                </div>
              )}
            </li>
          );
        })}
        <li className="flex flex-wrap items-center gap-1 px-4 py-3">
          <span className="mr-1 text-soft">then, after step {place}:</span>
          {STEP_KINDS.filter((v) => v.says !== undefined).map((v) => (
            <button key={v.verb} className="btn h-[24px]" title={v.says} onClick={() => add(v.verb)}>
              {v.verb}
            </button>
          ))}
        </li>
      </ol>
      {work.error && <p className="border-t border-rule p-3 text-vermilion">{work.error.message}</p>}
    </div>
  );
}

const signed = (n: number): string => `${n > 0 ? '+' : '−'}${count(Math.abs(n))}`;

/** Something that speaks against a step: torn like a broken claim, with words. */
function Flag({ text }: { text: string }) {
  return (
    <span className="whitespace-nowrap rounded-[2px] bg-vermilion-wash px-[6px] text-[12px] text-vermilion">
      <svg width="9" height="9" viewBox="0 0 12 12" aria-hidden className="mr-1 inline-block">
        <path d="M1 1h4.2L4 5l3 1.4L5.4 11H1zM6.6 1H11v10H7.2l1.4-5.2L5.8 4.4z" fill="currentColor" />
      </svg>
      {text}
    </span>
  );
}

/** Steps are stored by Save: until then they are only tried. */
function UnsavedSteps({
  fault,
  work,
}: {
  fault: { readonly place: number; readonly message: string; readonly join?: JoinFacts } | undefined;
  work: StepWork;
}) {
  return (
    <div role="status" className="flex flex-wrap items-center gap-3 border-b border-rule bg-paper px-4 py-2">
      <span className="flex-1">
        {fault
          ? `Step ${fault.place} cannot be run: correct it, then save the steps.`
          : work.waiting
            ? 'Working …'
            : 'Unsaved steps: the rows below show what they would give.'}
      </span>
      <button
        className="btn btn-act"
        disabled={fault !== undefined || work.waiting}
        onClick={() => void work.keep()}
      >
        Save steps
      </button>
      <button className="btn" onClick={work.reset}>
        Revert
      </button>
    </div>
  );
}

/** A step in a line: what it does, and rows after it. */
function StepLine({
  i,
  setMoved,
  step,
  open,
  look,
  move,
  set,
  steps,
  work,
  state,
  before,
}: {
  i: number;
  setMoved: (next: number | undefined) => void;
  step: Step;
  open: boolean;
  look: (place: number) => void;
  move: (from: number, to: number) => void;
  set: (steps: readonly Step[]) => void;
  steps: readonly Step[];
  work: StepWork;
  state: StepState | undefined;
  before: StepState | undefined;
}) {
  return (
    <div className="flex items-center gap-2 px-3 py-[5px]">
      <span
        className={`num w-[18px] text-soft ${i > 0 ? 'cursor-grab' : ''}`}
        draggable={i > 0}
        onDragStart={() => setMoved(i)}
        onDragEnd={() => setMoved(undefined)}
        title={i > 0 ? 'Drag to reorder' : undefined}
      >
        {i + 1}
      </span>
      <button
        className={`min-w-0 flex-1 truncate text-left ${isOff(step) ? 'text-soft line-through' : ''}`}
        aria-expanded={open}
        onClick={() => look(i + 1)}
        onKeyDown={(e) => {
          if (e.altKey && e.key === 'ArrowUp') move(i, i - 1);
          if (e.altKey && e.key === 'ArrowDown') move(i, i + 1);
          if (e.key === 'Delete' && i > 0) set(steps.filter((_, k) => k !== i));
        }}
      >
        <b className="font-serif">{verbOf(step)}</b> <span>{stepText(step)}</span>
      </button>
      <span className={`num w-[124px] whitespace-nowrap ${work.waiting ? 'opacity-40' : ''}`}>
        {state && (
          <>
            {before && state.rows !== before.rows && (
              <span className="mr-2 text-soft">{signed(state.rows - before.rows)}</span>
            )}
            {count(state.rows)}
          </>
        )}
      </span>
    </div>
  );
}

/** What a join does to the rows. */
function StepFindings({
  findings,
  fault,
  i,
}: {
  findings: readonly JoinFinding[];
  fault: { readonly place: number; readonly message: string; readonly join?: JoinFacts } | undefined;
  i: number;
}) {
  return (
    <p className="flex flex-wrap gap-1 pb-[5px] pl-[38px]">
      {findings.map((f) => (
        <Flag
          key={f.kind}
          text={
            f.kind === 'chooses' ? `chooses for ${many(f.rows, 'row')}` : `${f.kind} ${many(f.rows, 'row')}`
          }
        />
      ))}
      {fault?.place === i + 1 && <Flag text="cannot be run" />}
    </p>
  );
}

/** Moves, switches off and removes a step. */
function StepTools({
  i,
  move,
  steps,
  put,
  step,
  set,
  look,
}: {
  i: number;
  move: (from: number, to: number) => void;
  steps: readonly Step[];
  put: (at: number, step: Step) => void;
  step: Step;
  set: (steps: readonly Step[]) => void;
  look: (place: number) => void;
}) {
  return (
    <div className="mt-2 flex gap-1">
      <button
        className="btn btn-bare"
        disabled={i === 1}
        onClick={() => move(i, i - 1)}
        title="Alt and arrow up"
      >
        Up
      </button>
      <button
        className="btn btn-bare"
        disabled={i === steps.length - 1}
        onClick={() => move(i, i + 1)}
        title="Alt and arrow down"
      >
        Down
      </button>
      <button className="btn btn-bare" onClick={() => put(i, isOff(step) ? shownStep(step) : { off: step })}>
        {isOff(step) ? 'Switch on' : 'Switch off'}
      </button>
      <button
        className="btn btn-bare"
        title="Delete"
        onClick={() => {
          set(steps.filter((_, k) => k !== i));
          look(i);
        }}
      >
        Remove
      </button>
    </div>
  );
}
