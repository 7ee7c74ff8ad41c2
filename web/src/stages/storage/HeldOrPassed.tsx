import { useState } from 'react';
import type { BothWays, PassedProfile } from '@crease/contract';
import { api } from '@crease/contract';
import type { Table } from '@crease/core/model';
import { connectionOf, isPassedThrough } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useAnswer } from '../../state/useAnswer.ts';
import { many } from '../../parts/text.ts';

/** Tables of databases: what they would weigh here, and how long questions take either way. */
export function HeldOrPassed({
  estimate,
  onEstimate,
}: {
  estimate: PassedProfile | undefined;
  onEstimate: (estimate: PassedProfile) => void;
}) {
  const { id, model, fail } = useModel();
  const [working, setWorking] = useState<'estimate' | 'times'>();
  const [times, setTimes] = useState<BothWays>();
  const passed = model.tables.filter(isPassedThrough);
  const ofDatabases = model.tables.filter((t) => connectionOf(t) !== undefined);
  const { data } = useAnswer(api.databases.list, ofDatabases.length > 0 ? {} : undefined);
  if (ofDatabases.length === 0) return null;
  /** Whether a database can be asked more than groups of rows. */
  const isAsked = (table: Table) => {
    const kind = data?.connections.find((c) => c.name === connectionOf(table)!.connection)?.kind;
    return kind !== 'clickhouse' && kind !== 'sqlite';
  };
  const act = async (what: 'estimate' | 'times', work: () => Promise<void>) => {
    setWorking(what);
    try {
      await work();
    } catch (reason) {
      fail(reason);
    } finally {
      setWorking(undefined);
    }
  };
  return (
    <section className="border-b border-rule p-4" aria-label="Held or passed through">
      <h3 className="mb-1">Held or passed through</h3>
      <p className="mb-2 text-soft">
        {passed.length === 0
          ? 'All tables of databases are held here.'
          : `${many(passed.length, 'table')} of databases ${passed.length === 1 ? 'is' : 'are'} passed through: ${passed.length === 1 ? 'its' : 'their'} rows take no room here.`}
      </p>
      <p className="flex flex-wrap gap-2">
        {passed.some(isAsked) && (
          <button
            className="btn"
            disabled={working !== undefined}
            onClick={() =>
              void act('estimate', async () => onEstimate(await ask(api.storage.passedProfile, { id })))
            }
          >
            {working === 'estimate' ? 'Counting and sampling …' : 'Estimate what they would weigh'}
          </button>
        )}
        {ofDatabases.some(isAsked) && (
          <button
            className="btn"
            disabled={working !== undefined}
            title="Kept trials, or totals of measures, on rows that are here and in the database that they come from"
            onClick={() => void act('times', async () => setTimes(await ask(api.storage.bothWays, { id })))}
          >
            {working === 'times' ? 'Asking both …' : 'Compare times'}
          </button>
        )}
      </p>
      {passed.length > 0 && !passed.some(isAsked) && (
        <p className="text-soft">
          What they would weigh is told of other databases: of ClickHouse and SQLite files only groups of rows
          are asked.
        </p>
      )}
      {estimate && <Sampled estimate={estimate} />}
      {times && <Times times={times} />}
    </section>
  );
}

function Sampled({ estimate: { sampled } }: { estimate: PassedProfile }) {
  return (
    <p className="mt-2 text-soft">
      {sampled.length === 0
        ? 'All of them were encoded as a whole.'
        : `${sampled.map((s) => s.table).join(', ')}: worked out from a sample and counts of all rows. Other tables were encoded as a whole.`}
    </p>
  );
}

function Times({ times: { tables, questions } }: { times: BothWays }) {
  return (
    <>
      <p className="mt-2 text-soft">Rows in both places: {tables.join(', ')}</p>
      <table className="grid-plain mt-1" aria-label="Times of questions">
        <thead>
          <tr>
            <th scope="col">question</th>
            <th scope="col" className="num">
              held, ms
            </th>
            <th scope="col" className="num">
              database, ms
            </th>
            <th scope="col">answers</th>
          </tr>
        </thead>
        <tbody>
          {questions.map((q) => (
            <tr key={q.name}>
              <td>{q.name}</td>
              <td className="num">{q.heldMs}</td>
              <td className="num">{q.passedMs}</td>
              <td className={q.agrees ? 'text-soft' : 'text-vermilion'} title={q.note}>
                {q.agrees ? 'the same' : (q.note ?? 'differ')}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {questions.length === 0 && <p className="mt-1 text-soft">There are no measures to ask for yet.</p>}
    </>
  );
}
