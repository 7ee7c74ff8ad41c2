import { useEffect, useRef, useState } from 'react';
import { Copy } from 'lucide-react';
import type { BothState } from '@crease/contract';
import { api } from '@crease/contract';
import type { Query } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { VerdictMark } from '../../parts/Marks.tsx';
import { many } from '../../parts/text.ts';

const DIALECTS = [
  { name: 'postgresql', title: 'PostgreSQL' },
  { name: 'sqlite', title: 'SQLite' },
  { name: 'mariadb', title: 'MariaDB' },
  { name: 'duckdb', title: 'DuckDB' },
] as const;

/** The question as SQL, to be run where the tables of a release are. */
export default function AnswerSql({ query }: { query: Query }) {
  const { id, state, tell, fail } = useModel();
  const [dialect, setDialect] = useState<(typeof DIALECTS)[number]['name']>('postgresql');
  const { data, error } = useAnswer(
    api.questions.sql,
    { id },
    { body: { query, dialect }, of: state.revision.id },
  );
  const [both, setBoth] = useState<BothState>();
  const [isAsking, setAsking] = useState(false);
  // What was compared is of the question and the revision that were asked.
  const asked = JSON.stringify([query, state.revision.id]);
  const [comparedFor, setComparedFor] = useState('');
  if (both && comparedFor !== asked) setBoth(undefined);
  const running = useRef<AbortController>(undefined);
  useEffect(() => () => running.current?.abort(), []);
  const askSql = async () => {
    running.current = new AbortController();
    setAsking(true);
    try {
      setBoth(await ask(api.questions.askBoth, { id }, { query }, running.current.signal));
      setComparedFor(asked);
    } catch (failure) {
      fail(failure);
    } finally {
      setAsking(false);
    }
  };
  const copy = () =>
    void navigator.clipboard
      .writeText(data?.sql ?? '')
      .then(() => tell({ tone: 'plain', text: 'The SQL is on the clipboard' }), fail);
  return (
    <section aria-label="The question as SQL" className="flex min-h-0 flex-1 flex-col">
      <div className="flex items-center gap-2 border-b border-rule px-4 py-1.5 text-soft">
        <label className="flex items-center gap-1">
          for
          <select
            className="field"
            value={dialect}
            onChange={(e) => setDialect(e.target.value as typeof dialect)}
            aria-label="Database"
          >
            {DIALECTS.map(({ name, title }) => (
              <option key={name} value={name}>
                {title}
              </option>
            ))}
          </select>
        </label>
        <span className="min-w-0 flex-1 truncate">over the tables of a release; values are parameters</span>
        {isAsking ? (
          <button className="btn" onClick={() => running.current?.abort()}>
            Cancel asking the SQL
          </button>
        ) : (
          <button className="btn" onClick={() => void askSql()} disabled={!data}>
            Ask the SQL too
          </button>
        )}
        <button className="btn" onClick={copy} disabled={!data}>
          <Copy size={13} aria-hidden /> Copy the SQL
        </button>
      </div>
      {both && <BothLine both={both} />}
      {error ? (
        <p
          role="alert"
          className="m-4 whitespace-pre-line border-l-4 border-vermilion bg-vermilion-wash px-3 py-2"
        >
          {error.message}
        </p>
      ) : (
        <pre
          tabIndex={0}
          aria-label="SQL"
          className="code min-h-0 flex-1 overflow-auto whitespace-pre-wrap px-4 py-3 leading-5"
        >
          {data?.sql ?? 'Loading …'}
        </pre>
      )}
    </section>
  );
}

/** What the second evaluator says: the same, something else, or why it was not asked. */
function BothLine({ both }: { both: BothState }) {
  const [verdict, text] =
    both.agrees === null
      ? (['unchecked', `Not compared: ${both.note}`] as const)
      : both.agrees
        ? (['holds', `SQLite gives the same answer: ${many(both.rows ?? 0, 'row')}`] as const)
        : (['broken', `SQLite answers otherwise: ${both.note}`] as const);
  return (
    <p role="status" className="flex items-baseline gap-2 border-b border-rule px-4 py-2">
      <VerdictMark verdict={verdict} size={11} /> {text}
    </p>
  );
}
