import { useState } from 'react';
import { Copy } from 'lucide-react';
import { api } from '@crease/contract';
import type { Query } from '@crease/core/model';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';

const DIALECTS = [
  { name: 'postgresql', title: 'PostgreSQL' },
  { name: 'sqlite', title: 'SQLite' },
] as const;

/** The question as SQL, to be run where the tables of a release are. */
export default function AnswerSql({ query }: { query: Query }) {
  const { id, state, tell } = useModel();
  const [dialect, setDialect] = useState<(typeof DIALECTS)[number]['name']>('postgresql');
  const { data, error } = useAnswer(
    api.questions.sql,
    { id },
    { body: { query, dialect }, of: state.revision.id },
  );
  const copy = () =>
    void navigator.clipboard
      .writeText(data?.sql ?? '')
      .then(() => tell({ tone: 'plain', text: 'The SQL is on the clipboard' }));
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
        <button className="btn" onClick={copy} disabled={!data}>
          <Copy size={13} aria-hidden /> Copy the SQL
        </button>
      </div>
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
