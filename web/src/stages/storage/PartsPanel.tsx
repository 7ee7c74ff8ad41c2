import { useState } from 'react';
import type { JobState, PartsState } from '@crease/contract';
import { api } from '@crease/contract';
import type { BodyOf } from '@crease/contract';
import { isLoaded, sameName } from '@crease/core/model';
import type { Partition } from '@crease/core/model';
import { growthOf } from '@crease/core/storage';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useAnswer } from '../../state/useAnswer.ts';
import { bytes, count, many, moment, percent } from '../../parts/text.ts';
import { PartitionFields } from './PartitionFields.tsx';

type Part = PartsState['parts'][number];

/**
 * The parts of a table: the rule that makes them, the ruler cut into them, and what can be done with each.
 */
export function PartsPanel({ table: name }: { table: string }) {
  const { id, model, state, edit, fail, tell } = useModel();
  const table = model.tables.find((t) => sameName(t.name, name));
  const { data, error } = useAnswer(
    api.storage.parts,
    { id, table: name },
    { of: state.revision.id, keepPreviousData: true },
  );
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  if (!table || !isLoaded(table))
    return <p className="text-soft">Its rows are made, not loaded: they lie in no parts.</p>;
  const { partition } = table;
  const act = async (body: BodyOf<typeof api.storage.actOnParts>) => {
    try {
      const job = await ended(await ask(api.storage.actOnParts, { id, table: name }, body));
      if (job.state !== 'done') throw new Error(job.faults[0] ?? job.detail);
      setChosen(new Set());
      tell({ tone: 'plain', text: job.detail });
    } catch (reason) {
      fail(reason);
    }
  };
  const setClosed = (part: Part) =>
    void edit(
      (newest) => {
        const now = newest.tables.find((t) => sameName(t.name, name));
        if (!now?.partition) return [];
        const { closed = [], ...rule } = now.partition;
        const next = part.isClosed ? closed.filter((p) => p !== part.name) : [...closed, part.name].sort();
        const value: Partition = { ...rule, ...(next.length > 0 ? { closed: next } : {}) };
        return [{ do: 'set-table', table: now.name, change: { partition: value } }];
      },
      `${part.isClosed ? 'open' : 'close'} ${part.name} of ${name}`,
    );
  return (
    <section aria-label={`Parts of ${name}`} className="my-1 border border-rule bg-raised p-3">
      <PartitionFields table={table} />
      {error && <p className="text-vermilion">{error.message}</p>}
      {partition && data && !data.isParted && data.parts.length > 0 && (
        <p className="mt-2 flex flex-wrap items-center gap-2">
          Its rows do not lie in these parts yet: the next load brings them there, or
          <button className="btn h-[24px]" onClick={() => void act({ do: 'split' })}>
            bring them there now
          </button>
        </p>
      )}
      {data && data.parts.length > 0 && (data.isParted || data.parts.length > 1) && (
        <>
          <Strip parts={data.parts} />
          {partition && data.isParted && <GrowthLine parts={data.parts} every={partition.every} />}
          <PartsTable
            parts={data.parts}
            isParted={data.isParted}
            chosen={chosen}
            onChoose={setChosen}
            onClose={setClosed}
          />
          {chosen.size > 0 && (
            <p className="mt-2 flex items-center gap-2">
              <button className="btn" onClick={() => void act({ do: 'remove', parts: [...chosen] })}>
                Remove {many(chosen.size, 'part')} with{' '}
                {many(
                  data.parts.filter((p) => chosen.has(p.name)).reduce((n, p) => n + p.rows, 0),
                  'row',
                )}
              </button>
              <span className="text-soft">Undo brings them back.</span>
            </p>
          )}
        </>
      )}
    </section>
  );
}

const AHEAD_MONTHS = 24;

/** What the parts will weigh in some time, if it goes on as it did. */
function GrowthLine({ parts, every }: { parts: readonly Part[]; every: Partition['every'] }) {
  const [months, setMonths] = useState(AHEAD_MONTHS);
  const growth = growthOf(parts, every);
  if (!growth) return null;
  const now = parts.reduce((n, p) => n + p.bytes, 0);
  return (
    <p className="mt-2 flex flex-wrap items-center gap-x-2 text-soft">
      at the pace of its last {many(growth.parts, 'whole part')}, {many(Math.round(growth.rowsAMonth), 'row')}{' '}
      a month, it will weigh{' '}
      <b className="text-ink">{bytes(Math.round(now + months * growth.bytesAMonth))}</b> in the file in
      <input
        type="number"
        className="field h-[24px] w-[64px]"
        aria-label="Months ahead"
        min={1}
        max={600}
        value={months}
        onChange={(e) => setMonths(Math.min(600, Math.max(1, Math.round(Number(e.target.value)) || 1)))}
      />
      months, if it goes on so
    </p>
  );
}

const POLL_MS = 150;

async function ended(job: JobState): Promise<JobState> {
  let state = job;
  while (state.state === 'running') {
    await new Promise((resume) => setTimeout(resume, POLL_MS));
    state = await ask(api.jobs.get, { job: job.id });
  }
  return state;
}

/** The rows of a table cut into its parts. */
function Strip({ parts }: { parts: readonly Part[] }) {
  const rows = parts.reduce((n, p) => n + p.rows, 0);
  return (
    <div className="mt-3 flex h-[20px] gap-[2px]" aria-hidden>
      {parts.map((p) => (
        <span
          key={p.name}
          className={`overflow-hidden pl-1 text-[11px] leading-[20px] text-nowrap ${p.isClosed ? 'border border-rule-strong bg-leaf' : 'bg-bar-soft'}`}
          style={{ width: `${(100 * p.rows) / Math.max(1, rows)}%`, minWidth: 2 }}
          title={`${p.name}: ${count(p.rows)} rows`}
        >
          {p.rows / rows > 0.05 ? p.name : ''}
        </span>
      ))}
    </div>
  );
}

function PartsTable({
  parts,
  isParted,
  chosen,
  onChoose,
  onClose,
}: {
  parts: readonly Part[];
  isParted: boolean;
  chosen: ReadonlySet<string>;
  onChoose: (chosen: ReadonlySet<string>) => void;
  onClose: (part: Part) => void;
}) {
  const all = parts.reduce((n, p) => n + p.bytes, 0);
  const turn = (name: string) => {
    const next = new Set(chosen);
    if (!next.delete(name)) next.add(name);
    onChoose(next);
  };
  return (
    <div className="mt-2 max-h-[320px] overflow-auto">
      <table className="grid-plain" aria-label="Parts">
        <thead>
          <tr>
            <th scope="col">part</th>
            <th scope="col" className="num">
              rows
            </th>
            <th scope="col" className="num">
              in the file
            </th>
            <th scope="col">from – to</th>
            <th scope="col">loaded</th>
            <th scope="col">from</th>
            <th scope="col">
              <span className="sr-only">Close or open</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {parts.map((p) => (
            <tr key={p.name}>
              <td className="whitespace-nowrap">
                <label className="flex items-center">
                  <input
                    type="checkbox"
                    checked={chosen.has(p.name)}
                    disabled={p.isClosed}
                    onChange={() => turn(p.name)}
                    aria-label={`Choose ${p.name || 'rows in no part'}`}
                  />
                  {p.name || <i className="text-soft">in no part</i>}
                </label>
              </td>
              <td className="num">{count(p.rows)}</td>
              <td
                className="num"
                title={`${count(p.bytes)} bytes, ${percent(all === 0 ? 0 : p.bytes / all)}`}
              >
                {bytes(p.bytes)}
              </td>
              <td className="whitespace-nowrap text-soft">
                {p.first === null ? '' : p.first === p.last ? p.first : `${p.first} – ${p.last}`}
              </td>
              <td className="whitespace-nowrap text-soft" title={moment(p.loadedAt)}>
                {new Date(p.loadedAt).toLocaleDateString()}
                {p.tookMs !== null && `, ${(p.tookMs / 1000).toFixed(1)} s`}
              </td>
              <td className="max-w-[92px] truncate text-soft" title={p.source ?? ''}>
                {p.source}
              </td>
              <td>
                {isParted && (
                  <button
                    className="btn btn-bare h-[24px]"
                    onClick={() => onClose(p)}
                    aria-label={`${p.isClosed ? 'Open' : 'Close'} ${p.name}`}
                    title={
                      p.isClosed
                        ? 'Loads may change it again'
                        : 'Loads that would change it are refused from then on'
                    }
                  >
                    {p.isClosed ? 'Open' : 'Close'}
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
