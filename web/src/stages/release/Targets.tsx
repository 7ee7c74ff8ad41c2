import { useState } from 'react';
import type { JobState, ReleaseEntry, ReleasePlan } from '@crease/contract';
import { api } from '@crease/contract';
import type { ReleaseTarget } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { ApiError, ask } from '../../state/api.ts';
import { useAuthor } from '../../state/author.ts';
import { useParam } from '../../state/selection.ts';
import { useModel } from '../../state/model.tsx';
import { useAnswer } from '../../state/useAnswer.ts';
import { VerdictMark } from '../../parts/Marks.tsx';
import { count, many, moment } from '../../parts/text.ts';
import { PlanView } from './PlanView.tsx';
import { TargetForm } from './TargetForm.tsx';

/** Where the model is released to: each target with its plan, and what was released there. */
export function Targets({ isReady }: { isReady: boolean }) {
  const { id, model, edit, state } = useModel();
  const { data: log, mutate } = useAnswer(api.targets.log, { id });
  const [open, setOpen] = useParam('target');
  const [adding, setAdding] = useState(false);
  const targets = model.targets ?? [];
  const chosen = targets.find((t) => open !== undefined && sameName(t.name, open));
  return (
    <section aria-label="Targets" className="border-b border-rule px-4 py-4">
      <header className="flex items-center gap-3">
        <h2 className="text-[15px]">Targets</h2>
        <span className="text-soft">
          {targets.length === 0
            ? 'A target gets tables, views for each audience, and a record; it is compared with what is here before anybody sees it.'
            : ''}
        </span>
        <span className="flex-1" />
        {!adding && (
          <button className="btn" onClick={() => setAdding(true)}>
            Add a target
          </button>
        )}
      </header>
      {adding && <TargetForm onDone={() => setAdding(false)} />}
      <ul className="mt-2">
        {targets.map((target) => (
          <TargetLine
            key={target.name}
            target={target}
            last={log?.find((entry) => sameName(entry.target, target.name))}
            isOpen={target === chosen}
            onOpen={() => setOpen(target === chosen ? undefined : target.name)}
            onRemove={() => {
              if (target === chosen) setOpen(undefined);
              void edit([{ do: 'remove-targets', name: target.name }], `remove the target ${target.name}`);
            }}
          />
        ))}
      </ul>
      {chosen && (
        <PlannedRelease
          key={`${chosen.name} ${state.revision.id}`}
          target={chosen}
          isReady={isReady}
          onEnded={() => void mutate()}
        />
      )}
      {log && log.length > 0 && <Log entries={log} />}
    </section>
  );
}

/** Where a target is, in words. */
function placeText(target: ReleaseTarget): string {
  switch (target.kind) {
    case 'sqlite':
      return `SQLite file ${target.file}`;
    case 'folder':
      return `folder ${target.path}, ${target.as === 'csv' ? 'CSV' : 'Parquet'}`;
    case 'postgresql':
      return `schema ${target.schema} of ${target.connection}`;
  }
}

function TargetLine({
  target,
  last,
  isOpen,
  onOpen,
  onRemove,
}: {
  target: ReleaseTarget;
  last: ReleaseEntry | undefined;
  isOpen: boolean;
  onOpen: () => void;
  onRemove: () => void;
}) {
  return (
    <li className="flex items-center gap-3 py-1">
      <b className="w-[120px] truncate">{target.name}</b>
      <span className="min-w-0 flex-1 truncate">
        {placeText(target)}
        <span className="text-soft">
          {last
            ? ` · ${last.outcome === 'done' ? `release ${last.release}` : 'failed'}, revision ${last.revision}, ${moment(last.at)}`
            : ' · nothing released yet'}
        </span>
      </span>
      <button className="btn h-[24px]" aria-expanded={isOpen} onClick={onOpen}>
        {isOpen ? 'Close the plan' : 'Plan a release'}
      </button>
      <button
        className="btn btn-bare h-[24px]"
        aria-label={`Remove the target ${target.name}`}
        onClick={onRemove}
      >
        Remove
      </button>
    </li>
  );
}

const POLL_MS = 150;

/** The plan of a release, and the release itself while it runs. */
function PlannedRelease({
  target,
  isReady,
  onEnded,
}: {
  target: ReleaseTarget;
  isReady: boolean;
  onEnded: () => void;
}) {
  const { id, fail, tell } = useModel();
  const [author, setAuthor, keepAuthor] = useAuthor();
  const [definitions, setDefinitions] = useState(false);
  const [job, setJob] = useState<JobState>();
  const body = { target: target.name, definitions };
  const {
    data: plan,
    error,
    mutate,
    isValidating,
  } = useAnswer(api.targets.plan, { id }, { body, keepPreviousData: true });
  const isRunning = job?.state === 'running';
  const release = async () => {
    const by = keepAuthor();
    try {
      let now = await ask(api.targets.release, { id }, { ...body, ...(by ? { author: by } : {}) });
      for (setJob(now); now.state === 'running'; setJob(now)) {
        await new Promise((resume) => setTimeout(resume, POLL_MS));
        now = await ask(api.jobs.get, { job: now.id });
      }
      if (now.state === 'done') tell({ tone: 'plain', text: now.detail });
    } catch (reason) {
      if (!(reason instanceof ApiError)) throw reason;
      fail(reason);
    }
    onEnded();
    void mutate();
  };
  return (
    <div
      className="mt-2 border border-rule bg-raised p-3"
      role="region"
      aria-label={`Plan for ${target.name}`}
    >
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={definitions}
            disabled={isRunning || target.kind === 'folder'}
            onChange={(e) => setDefinitions(e.target.checked)}
          />
          definitions only, rows there stay
        </label>
        <label className="flex items-center gap-1 text-soft">
          by
          <input
            className="field h-[24px] w-[130px]"
            value={author}
            placeholder="your name"
            onChange={(e) => setAuthor(e.target.value)}
          />
        </label>
        <span className="flex-1" />
        {!isReady && <span className="text-soft">claims stand against a release: see below</span>}
        {isRunning ? (
          <>
            <span role="status">
              {job.detail === '' ? 'beginning' : job.detail}, {Math.round(job.progress * 100)} %
            </span>
            <button className="btn" onClick={() => void ask(api.jobs.cancel, { job: job.id }).catch(fail)}>
              Cancel
            </button>
          </>
        ) : (
          <button
            className="btn btn-act"
            disabled={!isReady || !plan || plan.refusals.length > 0 || error !== undefined || isValidating}
            onClick={() => void release()}
          >
            {releaseText(plan)}
          </button>
        )}
      </div>
      {job && job.state === 'failed' && (
        <p role="alert" className="mt-2 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
          {job.faults.join(' ')}
        </p>
      )}
      {job && job.state === 'cancelled' && <p className="mt-2">Cancelled: the target is as it was.</p>}
      {error && (
        <p role="alert" className="flex items-center gap-2">
          <VerdictMark verdict="broken" /> {error.message}
        </p>
      )}
      {!plan && !error && <p className="text-soft">Looking at the target …</p>}
      {plan && !error && <PlanView plan={plan} isCurrent={!isValidating} />}
    </div>
  );
}

const releaseText = (plan: ReleasePlan | undefined): string =>
  plan ? `Release as number ${plan.release}` : 'Release';

function Log({ entries }: { entries: readonly ReleaseEntry[] }) {
  return (
    <details className="mt-3">
      <summary className="cursor-pointer">{many(entries.length, 'release')} so far</summary>
      <table className="grid-plain" aria-label="Releases so far">
        <thead>
          <tr>
            <th scope="col">when</th>
            <th scope="col">target</th>
            <th scope="col">what</th>
            <th scope="col">by</th>
            <th scope="col">how it ended</th>
          </tr>
        </thead>
        <tbody>
          {entries.map((entry) => (
            <tr key={entry.id}>
              <td className="whitespace-nowrap text-soft">
                <VerdictMark verdict={entry.outcome === 'done' ? 'holds' : 'broken'} size={10} />{' '}
                {moment(entry.at)}
              </td>
              <td>
                {entry.target}
                {entry.release !== undefined && `, number ${entry.release}`}
              </td>
              <td>
                {entry.what} of revision {entry.revision}
              </td>
              <td>{entry.author ?? ''}</td>
              <td className="break-words">
                {entry.outcome === 'done'
                  ? `${many(entry.rows ?? 0, 'row')} written in ${(entry.seconds ?? 0).toFixed(1)} s; ${count(entry.proof?.questions ?? 0)} questions compared`
                  : entry.message}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
