import type { TriedRemedy } from '@crease/contract';
import { api } from '@crease/contract';
import type { JoinFacts, JoinFinding, LookupFacts, StepState } from '@crease/core/shape';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { RowGrid } from '../../parts/RowGrid.tsx';
import { cellText, count, many } from '../../parts/text.ts';
import { stepText } from '@crease/core/shape';
import type { StepWork } from './steps.ts';
import { verbOf } from './steps.ts';

/**
 * What stands after the chosen step: rows, totals and columns against the step before, what speaks against a
 * join, and a page of rows.
 */
export function StepEvidence({ work }: { work: StepWork }) {
  const { trace, place, steps } = work;
  const state = trace?.states[place - 1];
  const before = trace?.states[place - 2];
  const join = state?.join ?? (trace?.fault?.place === place ? trace.fault.join : undefined);
  const met = join ?? state?.lookup;
  const step = steps[place - 1];
  if (!step) return null;
  return (
    <section aria-label={`After step ${place}`} className="flex flex-col">
      <header className="border-b border-rule px-4 py-2">
        <h2 className="text-[15px]">
          After step {place}: {verbOf(step)}
        </h2>
        <p className="truncate text-soft" title={stepText(step)}>
          {stepText(step)}
        </p>
      </header>
      {!work.waiting && met?.findings.map((f) => <Finding key={f.kind} finding={f} table={met.table} />)}
      {!work.waiting && (
        <Remedies work={work} remedies={trace?.remedies.find((r) => r.place === place)?.remedies ?? []} />
      )}
      {work.waiting || !state ? (
        <p className="p-4 text-soft">
          {trace?.fault && !work.waiting ? 'No rows until the step can be run.' : 'Working …'}
        </p>
      ) : (
        <>
          <Totals state={state} before={before} />
          {join && <Meets join={join} />}
          {state.lookup && <Finds lookup={state.lookup} />}
          <Rows work={work} place={place} />
        </>
      )}
    </section>
  );
}

const SAYS: Record<JoinFinding['kind'], (f: JoinFinding, table: string) => string> = {
  multiplies: (f, table) =>
    `The join multiplies: ${many(f.rows, 'row')} more, because ${many(f.keys, 'key')} ${f.keys === 1 ? 'occurs' : 'occur'} several times in ${table}. Totals of the rows here are too high from now on.`,
  loses: (f, table) =>
    `The join loses ${many(f.rows, 'row')}: ${f.rows === 1 ? 'it has' : 'they have'} no partner in ${table}.`,
  repeats: (f, table) =>
    `Rows of ${table} are repeated, ${count(f.rows)} extra in all: ${f.quantities!.join(', ')} no longer ${f.quantities!.length === 1 ? 'adds' : 'add'} up.`,
  misses: (f, table) =>
    `For ${many(f.rows, 'row')} nothing is found in ${table}: the added columns are null there.`,
  chooses: (f, table) =>
    `For ${many(f.rows, 'row')} more than one row of ${table} matches, and the one that begins last, or stands first, is used: choose which is meant.`,
};

function Finding({ finding, table }: { finding: JoinFinding; table: string }) {
  return (
    <div className="border-b border-rule bg-vermilion-wash/60 px-4 py-2">
      <p className="font-semibold text-vermilion">{SAYS[finding.kind](finding, table)}</p>
      {finding.sample.length > 0 && (
        <details open={finding.kind !== 'repeats'}>
          <summary className="cursor-pointer text-soft">keys with the most rows</summary>
          <table className="grid-plain mt-1">
            <thead>
              <tr>
                <th scope="col">key</th>
                <th scope="col" className="num">
                  rows here
                </th>
                <th scope="col" className="num">
                  in {table}
                </th>
              </tr>
            </thead>
            <tbody>
              {finding.sample.slice(0, 5).map((s, i) => (
                <tr key={i}>
                  <td>{s.key.map(cellText).join(' · ')}</td>
                  <td className="num">{count(s.own)}</td>
                  <td className="num">{count(s.theirs)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {finding.keys > 5 && <p className="mt-1 text-soft">{count(finding.keys - 5)} more keys.</p>}
        </details>
      )}
    </div>
  );
}

function Remedies({ work, remedies }: { work: StepWork; remedies: readonly TriedRemedy[] }) {
  if (remedies.length === 0) return null;
  return (
    <div className="border-b border-rule px-4 py-2">
      <p className="eyebrow">remedies</p>
      <ul>
        {remedies.map((r) => (
          <li key={r.id} className="flex items-baseline gap-3 py-[3px]">
            <button className="btn" onClick={() => void work.take(r)}>
              Apply
            </button>
            <span className="flex-1">{r.says}</span>
            <span className="num whitespace-nowrap text-soft">then {many(r.rows, 'row')}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}

function Totals({ state, before }: { state: StepState; before: StepState | undefined }) {
  const names = [...new Set([...(before?.totals ?? []), ...state.totals].map((t) => t.column))];
  const total = (of: StepState | undefined, name: string) => of?.totals.find((t) => t.column === name)?.total;
  const added = before ? state.columns.filter((c) => !before.columns.some((b) => b.name === c.name)) : [];
  const gone = before ? before.columns.filter((c) => !state.columns.some((b) => b.name === c.name)) : [];
  return (
    <div className="border-b border-rule px-4 py-2">
      <table className="grid-plain" aria-label="Rows and totals">
        <thead>
          <tr>
            <th scope="col"></th>
            <th scope="col" className="num">
              {before ? 'before' : ''}
            </th>
            <th scope="col" className="num">
              after
            </th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td>rows</td>
            <td className="num">{before ? count(before.rows) : ''}</td>
            <td className="num">{count(state.rows)}</td>
          </tr>
          {names.map((name) => {
            const [was, is] = [total(before, name), total(state, name)];
            const other =
              before !== undefined && was !== undefined && is !== undefined && String(was) !== String(is);
            return (
              <tr key={name}>
                <td>total of {name}</td>
                <td className="num">{was === undefined ? '' : number(was)}</td>
                <td className={`num ${other ? 'font-semibold' : ''}`}>
                  {is === undefined ? <i className="text-soft">gone</i> : number(is)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {(added.length > 0 || gone.length > 0) && (
        <p className="mt-1 text-soft">
          {added.length > 0 && `new: ${added.map((c) => `${c.name} (${c.type})`).join(', ')}`}
          {added.length > 0 && gone.length > 0 && ' · '}
          {gone.length > 0 && `gone: ${gone.map((c) => c.name).join(', ')}`}
        </p>
      )}
    </div>
  );
}

/** Sums come as numbers or, where they are exact decimals, as text. */
const number = (value: unknown): string =>
  value === null
    ? ''
    : typeof value === 'number'
      ? value.toLocaleString()
      : typeof value === 'string' && /^-?\d+(\.\d+)?$/.test(value)
        ? value.replace(
            /^(-?)(\d+)/,
            (_, sign: string, digits: string) => `${sign}${BigInt(digits).toLocaleString()}`,
          )
        : cellText(value);

function Meets({ join }: { join: JoinFacts }) {
  const { table, ownRows, theirRows, ownLone, theirLone } = join;
  return (
    <p className="border-b border-rule px-4 py-2 text-soft">
      Of {many(ownRows, 'row')} here {count(ownLone)} have no partner; of {many(theirRows, 'row')} of {table}{' '}
      {count(theirLone)} have none.
    </p>
  );
}

function Finds({ lookup }: { lookup: LookupFacts }) {
  const { table, ownRows, found, lone, invalid } = lookup;
  return (
    <p className="border-b border-rule px-4 py-2 text-soft">
      Of {many(ownRows, 'row')} {count(found)} find their row of {table}
      {lone > 0 && `; ${count(lone)} have a key that is null or not there`}
      {invalid > 0 && `; ${count(invalid)} have a key of which no row is valid on their day`}.
    </p>
  );
}

const PAGE = 50;

function Rows({ work, place }: { work: StepWork; place: number }) {
  const { id, state } = useModel();
  const shown = JSON.stringify(work.steps.slice(0, place));
  const { data, error } = useAnswer(api.shaping.rows, work.waiting ? undefined : { id }, {
    body: {
      table: work.table.name,
      steps: JSON.parse(shown) as Record<string, unknown>[],
      place,
      count: PAGE,
    },
    of: state.revision.id,
    keepPreviousData: true,
  });
  if (error) return <p className="p-4 text-soft">{error.message}</p>;
  if (!data) return <p className="p-4 text-soft">Reading rows …</p>;
  return (
    <div className="p-4">
      <p className="mb-2 text-soft">
        {data.total === 0
          ? 'No row is left.'
          : `The first ${count(data.rows.length)} of ${many(data.total, 'row')}:`}
      </p>
      <RowGrid page={data} label={`Rows after step ${place}`} />
    </div>
  );
}
