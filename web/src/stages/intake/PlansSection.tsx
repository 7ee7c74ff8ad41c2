import { useState } from 'react';
import type { LoadPlan, PlanRun, PlansState, RecipeState } from '@crease/contract';
import { api } from '@crease/contract';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useAnswer } from '../../state/useAnswer.ts';
import { VerdictMark } from '../../parts/Marks.tsx';
import { count, many, moment } from '../../parts/text.ts';
import { PlanForm } from './PlanForm.tsx';

/** Load plans: recipes in an order, run by hand or at times, with how they ran. */
export function PlansSection({ recipes }: { recipes: readonly RecipeState[] }) {
  const { id, jobs, fail, tell } = useModel();
  // A run that has ended shows in the log.
  const ended = jobs.flatMap((j) => (j.state === 'running' ? [] : [j.id])).join();
  const { data, error, mutate } = useAnswer(
    api.plans.get,
    { id },
    { of: ended, keepPreviousData: true, revalidateOnFocus: true },
  );
  const [open, setOpen] = useState<string>();
  /** Whether it could be done. A form that is open stays so: it may have been opened meanwhile. */
  const act = async (work: () => Promise<unknown>, text?: string): Promise<boolean> => {
    try {
      await work();
      await mutate();
      if (text !== undefined) tell({ tone: 'plain', text });
      return true;
    } catch (reason) {
      fail(reason);
      return false;
    }
  };
  const keep = (was: string, plan: LoadPlan) =>
    act(() => ask(api.plans.put, { id, plan: was }, plan), `Load plan ${plan.name} saved`);
  /** Of a form, which closes once what it says is kept. */
  const save = async (form: string, plan: LoadPlan) => {
    if (await keep(form === '' ? plan.name : form, plan)) setOpen((now) => (now === form ? undefined : now));
  };
  return (
    <section aria-label="Load plans" className="border-b border-rule-strong">
      <header className="flex items-center gap-3 px-4 pt-3">
        <h2 className="flex-1 text-[14px]">Load plans</h2>
        {recipes.length > 0 && open === undefined && (
          <button className="btn h-[24px]" onClick={() => setOpen('')}>
            New plan
          </button>
        )}
      </header>
      {error && <p className="px-4 py-2 text-vermilion">{error.message}</p>}
      {recipes.length === 0 && data?.plans.length === 0 && (
        <p className="px-4 py-2 text-soft">
          A load plan runs recipes in an order, by hand or at times: keep a recipe first.
        </p>
      )}
      {open === '' && (
        <PlanForm
          recipes={recipes}
          onKeep={(plan) => void save('', plan)}
          onLeave={() => setOpen(undefined)}
        />
      )}
      <ul className="pb-2">
        {data?.plans.map(({ plan, next }) =>
          open === plan.name ? (
            <li key={plan.name}>
              <PlanForm
                plan={plan}
                recipes={recipes}
                onKeep={(changed) => void save(plan.name, changed)}
                onLeave={() => setOpen(undefined)}
              />
            </li>
          ) : (
            <OnePlan
              key={plan.name}
              plan={plan}
              next={next}
              timeZone={data.timeZone}
              onRun={() => void act(() => ask(api.plans.run, { id, plan: plan.name }))}
              onChange={() => setOpen(plan.name)}
              onPause={() => void keep(plan.name, { ...plan, isPaused: !plan.isPaused })}
              onRemove={() =>
                void act(
                  () => ask(api.plans.remove, { id, plan: plan.name }),
                  `Load plan ${plan.name} removed; what it loaded stays`,
                )
              }
            />
          ),
        )}
      </ul>
      {data && data.plans.length > 0 && (
        <TimeZone zone={data.timeZone} onKeep={(zone) => void act(() => setZone(zone))} />
      )}
      {data && data.runs.length > 0 && <Runs runs={data.runs} />}
    </section>
  );
}

const setZone = async (timeZone: string): Promise<void> => {
  await ask(api.settings.put, {}, { ...(await ask(api.settings.get, {})), timeZone });
};

function OnePlan({
  plan,
  next,
  timeZone,
  onRun,
  onChange,
  onPause,
  onRemove,
}: {
  plan: LoadPlan;
  next: readonly string[];
  timeZone: string;
  onRun: () => void;
  onChange: () => void;
  onPause: () => void;
  onRemove: () => void;
}) {
  return (
    <li className="flex flex-wrap items-center gap-x-3 px-4 py-1">
      <b className="w-[130px] truncate">{plan.name}</b>
      <span className="min-w-0 flex-1 text-soft">
        {plan.steps.map((s) => s.recipe).join(', ')}
        {plan.at === undefined
          ? '; by hand'
          : `; ${plan.at} in ${timeZone}${plan.isPaused ? ', paused' : ''}`}
        {next.length > 0 && <span className="block">next: {next.map(shortMoment).join(' · ')}</span>}
      </span>
      <button className="btn h-[24px]" onClick={onRun} aria-label={`Run ${plan.name} now`}>
        Run now
      </button>
      {plan.at !== undefined && (
        <button
          className="btn btn-bare h-[24px]"
          onClick={onPause}
          aria-label={`${plan.isPaused ? 'Go on with' : 'Pause'} ${plan.name}`}
        >
          {plan.isPaused ? 'Go on' : 'Pause'}
        </button>
      )}
      <button
        className="btn btn-bare h-[24px]"
        onClick={onChange}
        aria-label={`Change the load plan ${plan.name}`}
      >
        Change
      </button>
      <button
        className="btn btn-bare h-[24px]"
        onClick={onRemove}
        aria-label={`Remove the load plan ${plan.name}`}
      >
        Remove
      </button>
    </li>
  );
}

function TimeZone({ zone, onKeep }: { zone: string; onKeep: (zone: string) => void }) {
  return (
    <label className="flex items-center gap-2 px-4 pb-2 text-soft">
      <span className="text-nowrap">times are of</span>
      <input
        key={zone}
        className="field h-[24px] w-[170px]"
        list="time-zones"
        aria-label="Time zone of load plans"
        defaultValue={zone}
        onBlur={(e) => {
          const typed = e.target.value.trim();
          if (typed !== '' && typed !== zone) onKeep(typed);
        }}
      />
      <datalist id="time-zones">
        {Intl.supportedValuesOf('timeZone').map((z) => (
          <option key={z} value={z} />
        ))}
      </datalist>
      while this workspace is served; what was missed is made up for once
    </label>
  );
}

const SHOWN = 12;

function Runs({ runs }: { runs: PlansState['runs'] }) {
  return (
    <table className="grid-plain" aria-label="Runs of load plans">
      <thead>
        <tr>
          <th scope="col">ran</th>
          <th scope="col">plan</th>
          <th scope="col">recipes</th>
          <th scope="col">claims</th>
        </tr>
      </thead>
      <tbody>
        {runs.slice(0, SHOWN).map((run) => (
          <tr key={run.id}>
            <td className="whitespace-nowrap text-soft">
              <VerdictMark
                verdict={run.outcome === 'done' ? 'holds' : run.outcome === 'failed' ? 'broken' : 'unchecked'}
                size={10}
              />{' '}
              {moment(run.startedAt)}, {seconds(run)}
            </td>
            <td>
              <b>{run.plan}</b> <span className="text-soft">{BY[run.by]}</span>
            </td>
            <td>
              {run.steps.map((s, i) => (
                <span key={i} className="block">
                  {s.recipe}: {stepText(s)}
                </span>
              ))}
            </td>
            <td>
              {run.broken.length > 0 && (
                <span className="block text-vermilion">broke {run.broken.join(', ')}</span>
              )}
              {run.mended.length > 0 && (
                <span className="block text-green">mended {run.mended.join(', ')}</span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The year goes without saying. */
const shortMoment = (iso: string): string =>
  new Date(iso).toLocaleString(undefined, {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    hour: 'numeric',
    minute: '2-digit',
  });

const BY: Readonly<Record<PlanRun['by'], string>> = {
  time: 'at its time',
  hand: 'by hand',
  command: 'by a command',
};

const seconds = ({ startedAt, endedAt }: PlanRun): string =>
  `${((Date.parse(endedAt) - Date.parse(startedAt)) / 1000).toFixed(1)} s`;

const ORDINALS = [
  '',
  'first',
  'second',
  'third',
  'fourth',
  'fifth',
  'sixth',
  'seventh',
  'eighth',
  'ninth',
  'tenth',
];

function stepText(step: PlanRun['steps'][number]): string {
  const { outcome, rows = 0, changed = 0, leftOut = 0, source, message = '', attempts } = step;
  const from = source === undefined ? '' : ` from ${source}`;
  if (outcome === 'nothing new') return `nothing new${source === undefined ? '' : ` in ${source}`}`;
  if (outcome === 'not run') return 'not run';
  if (outcome === 'failed') return `failed${attempts > 1 ? ` ${attempts} times` : ''}: ${message}`;
  const left = leftOut > 0 ? `, ${count(leftOut)} left out` : '';
  const tries = attempts > 1 ? `, at the ${ORDINALS[attempts]} try` : '';
  return `${many(rows, 'row')}, ${count(changed)} new or changed${left}${from}${tries}`;
}
