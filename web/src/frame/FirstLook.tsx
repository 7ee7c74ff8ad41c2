import { useEffect, useEffectEvent, useState } from 'react';
import { X } from 'lucide-react';
import { useNavigate } from 'react-router';
import { useModel } from '../state/model.tsx';
import { VerdictMark } from '../parts/Marks.tsx';
import { IconButton } from '../parts/IconButton.tsx';
import { chosenClaims, lookSteps } from './firstLook.ts';

/** How far a first look has come: kept in this browser, for each model. */
export interface Look {
  readonly at: number;
  readonly claims: readonly string[];
  readonly seen: readonly string[];
}

const keyOf = (model: number): string => `crease.look.${model}`;

function kept(model: number): Look | undefined {
  try {
    const look = JSON.parse(localStorage.getItem(keyOf(model)) ?? 'null') as Look | null;
    return look ?? undefined;
  } catch {
    // What somebody else has written there is no look.
    return undefined;
  }
}

const BEGIN = 'crease-first-look';
/** Begins the first look of the open model, from wherever it is offered. */
export const beginLook = (): void => void window.dispatchEvent(new Event(BEGIN));
/** Whether a first look at a model has been begun in this browser. */
export const isLookKnown = (model: number): boolean => kept(model) !== undefined;

/** The first look of the open model: where it stands, to be begun, taken up again, and left. */
export function useLook() {
  const { id, claims } = useModel();
  const [look, setLook] = useState<Look | undefined>(() => kept(id));
  const [open, setOpen] = useState(false);
  const keep = (next: Look) => {
    localStorage.setItem(keyOf(id), JSON.stringify(next));
    setLook(next);
  };
  /** Begins it, or takes it up where it was left. */
  const start = () => {
    if (!look || look.claims.length === 0)
      keep({ at: 0, seen: [], claims: chosenClaims(claims?.claims ?? []) });
    setOpen(true);
  };
  const begin = useEffectEvent(start);
  useEffect(() => {
    window.addEventListener(BEGIN, begin);
    return () => window.removeEventListener(BEGIN, begin);
  }, []);
  return {
    look,
    open: open && look !== undefined,
    keep,
    start,
    again: () => keep({ at: 0, seen: [], claims: chosenClaims(claims?.claims ?? []) }),
    leave: () => setOpen(false),
  };
}

/** One step at a time, beside the real screens; it can be left at any time. */
export function FirstLook({ work }: { work: ReturnType<typeof useLook> }) {
  const { id, model, claims } = useModel();
  const navigate = useNavigate();
  const { look, keep } = work;
  if (!work.open || !look) return null;
  const steps = lookSteps(model, claims?.claims ?? [], look.claims, new Set(look.seen));
  const at = Math.min(look.at, steps.length - 1);
  const step = steps[at]!;
  const done = steps.filter((s) => s.changed !== undefined || (s.seen && !look.claims.includes(s.id))).length;
  const show = () => {
    keep({ ...look, seen: [...new Set([...look.seen, step.id])] });
    void navigate(`/m/${id}/${step.to}`);
  };
  return (
    <aside
      aria-label="First look"
      className="fixed bottom-[52px] left-[150px] z-30 w-[360px] max-w-[90vw] border border-ink bg-raised p-4 shadow-[var(--shadow)]"
    >
      <header className="flex items-center gap-2">
        <span className="text-soft">
          First look · {at + 1} of {steps.length}
        </span>
        <span className="flex-1" />
        <IconButton label="Leave the first look" onClick={work.leave}>
          <X size={14} aria-hidden />
        </IconButton>
      </header>
      <h2 className="text-[15px]">{step.title}</h2>
      <p className="mt-1">{step.why}</p>
      <p className="mt-1 text-soft">{step.act}</p>
      <p role="status" className="mt-2 flex items-baseline gap-2">
        {step.changed !== undefined && (
          <>
            <VerdictMark verdict="holds" size={11} /> {step.changed}
          </>
        )}
      </p>
      <footer className="mt-2 flex items-center gap-2">
        <button className="btn btn-act" onClick={show}>
          Show me
        </button>
        <button className="btn" disabled={at === 0} onClick={() => keep({ ...look, at: at - 1 })}>
          Back
        </button>
        {at < steps.length - 1 ? (
          <button className="btn" onClick={() => keep({ ...look, at: at + 1 })}>
            Next
          </button>
        ) : (
          <button className="btn" onClick={work.again}>
            Once more
          </button>
        )}
        <span className="flex-1" />
        <span className="text-soft">{done} done</span>
      </footer>
    </aside>
  );
}
