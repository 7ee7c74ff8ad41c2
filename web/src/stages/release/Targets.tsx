import { useState } from 'react';
import type { JobState, ReleaseEntry } from '@crease/contract';
import { api } from '@crease/contract';
import type { ReleaseTarget } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useAuthor } from '../../state/author.ts';
import { useParam } from '../../state/selection.ts';
import { useModel } from '../../state/model.tsx';
import { useAnswer } from '../../state/useAnswer.ts';
import { JobSteps, leftText } from '../../parts/JobSteps.tsx';
import { VerdictMark } from '../../parts/Marks.tsx';
import { moment } from '../../parts/text.ts';
import { PlanView } from './PlanView.tsx';
import { ReleaseLog } from './ReleaseLog.tsx';
import { TargetForm } from './TargetForm.tsx';
import type { Releasing } from './useRelease.ts';
import { useRelease } from './useRelease.ts';

/** Where the model is released to: each target with its plan, and what was released there. */
export function Targets({ isReady }: { isReady: boolean }) {
  const { id, model, edit, fail } = useModel();
  const { data: log, mutate } = useAnswer(api.targets.log, { id });
  const [ended, setEnded] = useState(0);
  const releasing = useRelease(() => {
    void mutate();
    setEnded((n) => n + 1);
  });
  const { job, isRunning, release, cancel } = releasing;
  const [open, setOpen] = useParam('target');
  const [adding, setAdding] = useState(false);
  const targets = model.targets ?? [];
  const isRead = log?.some((entry) => entry.kept === 'for readers');
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
        {isRead && (
          <a className="underline" href={`/r/${id}`} target="_blank" rel="noreferrer">
            Reading room
          </a>
        )}
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
            standing={log?.find((e) => e.outcome === 'done' && sameName(e.target, target.name))?.revision}
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
          key={chosen.name}
          target={chosen}
          isReady={isReady}
          releasing={releasing}
          ended={ended}
          took={log?.find((e) => e.outcome === 'done' && sameName(e.target, chosen.name))?.seconds}
        />
      )}
      {job && <JobLine job={job} onCancel={cancel} />}
      {log && log.length > 0 && (
        <ReleaseLog
          entries={log}
          targets={targets}
          isBusy={isRunning}
          onBack={({ target, revision }) => void release({ target, revision })}
          onGiveUp={(entry) =>
            void ask(api.targets.giveUp, { id, release: entry.id }).then(() => mutate(), fail)
          }
        />
      )}
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
  standing,
  isOpen,
  onOpen,
  onRemove,
}: {
  target: ReleaseTarget;
  last: ReleaseEntry | undefined;
  /** The number of the revision that was released there last. */
  standing: number | undefined;
  isOpen: boolean;
  onOpen: () => void;
  onRemove: () => void;
}) {
  const { id, state } = useModel();
  const { data: history } = useAnswer(api.models.history, { id });
  const [, setRevision] = useParam('revision');
  const since = history?.find((h) => h.number === standing && h.id !== state.revision.id)?.id;
  return (
    <li className="flex items-center gap-3 py-1">
      <b className="w-[120px] truncate">{target.name}</b>
      <span className="min-w-0 flex-1 truncate">
        {placeText(target)}
        {target.readers === false && <span className="text-soft"> · not in the reading room</span>}
        <span className="text-soft">
          {last
            ? ` · ${last.outcome === 'done' ? `release ${last.release}` : 'failed'}, revision ${last.revision}, ${moment(last.at)}`
            : ' · nothing released yet'}
        </span>
      </span>
      {since !== undefined && (
        <button className="btn btn-bare h-[24px]" onClick={() => setRevision(String(since))}>
          Changes since
        </button>
      )}
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

/** How far the last release is, or how it ended. */
function JobLine({ job, onCancel }: { job: JobState; onCancel: () => void }) {
  if (job.state === 'running')
    return (
      <p className="mt-2 flex items-center gap-3">
        <span role="status">
          {job.says}: {job.detail === '' ? 'beginning' : job.detail}, {Math.round(job.progress * 100)} %{' '}
          <span className="text-soft">{leftText(job)}</span>
        </span>
        <button className="btn h-[24px]" onClick={onCancel}>
          Cancel
        </button>
      </p>
    );
  if (job.state === 'failed')
    return (
      <p role="alert" className="mt-2 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
        {job.faults.join(' ')}
      </p>
    );
  return (
    <div className="mt-2">
      {job.state === 'cancelled' && <p>Cancelled: the target is as it was.</p>}
      <JobSteps job={job} />
    </div>
  );
}

/** The plan of a release, and the release itself while it runs. */
function PlannedRelease({
  target,
  isReady,
  releasing: { isRunning, release },
  ended,
  took,
}: {
  target: ReleaseTarget;
  /** Seconds of the last release there. */
  took: number | undefined;
  isReady: boolean;
  releasing: Releasing;
  /** How many releases have ended meanwhile: what is at the target is looked at again. */
  ended: number;
}) {
  const { id, state } = useModel();
  const [author, setAuthor, keepAuthor] = useAuthor();
  const [definitions, setDefinitions] = useState(false);
  const body = { target: target.name, definitions };
  const {
    data: plan,
    error,
    isValidating,
  } = useAnswer(api.targets.plan, { id }, { body, of: [state.revision.id, ended], keepPreviousData: true });
  const act = () => {
    const by = keepAuthor();
    void release({ ...body, ...(by ? { author: by } : {}) });
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
        {took !== undefined && <span className="text-soft">the last one took {took.toFixed(1)} s</span>}
        {!isReady && <span className="text-soft">claims stand against a release: see below</span>}
        <button
          className="btn btn-act"
          disabled={
            isRunning || !isReady || !plan || plan.refusals.length > 0 || error !== undefined || isValidating
          }
          onClick={act}
        >
          {plan ? `Release as number ${plan.release}` : 'Release'}
        </button>
      </div>
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
