import { useState } from 'react';
import type { ConnectionState, DatabaseTable, RightsState, UploadState } from '@crease/contract';
import { api } from '@crease/contract';
import { ask } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { LeafHead } from '../../frame/Leaves.tsx';
import { compact, count, many } from '../../parts/text.ts';
import { isTableOf } from '@crease/core/model';

const keyOf = (t: { schema: string | null; table: string }): string => JSON.stringify([t.schema, t.table]);
const nameOf = (t: { schema?: string | null; table: string }): { schema?: string; table: string } =>
  t.schema === null || t.schema === undefined ? { table: t.table } : { schema: t.schema, table: t.table };

/** The tables of a database, to choose from; what the account may do; what is declared. */
export function DatabaseTables({
  connection,
  onChange,
  onRemove,
  onDrawn,
}: {
  connection: ConnectionState;
  onChange: () => void;
  onRemove: () => void;
  onDrawn: (uploads: readonly UploadState[]) => void;
}) {
  const { fail, tell, model, state } = useModel();
  const at = { connection: connection.name };
  const { data, error, mutate, isValidating } = useAnswer(api.databases.tables, at, {
    shouldRetryOnError: false,
  });
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [search, setSearch] = useState('');
  const [drawing, setDrawing] = useState<{ done: number; of: number }>();
  const [rights, setRights] = useState<RightsState>();
  const [server, setServer] = useState<string>();
  const tables = data ?? [];
  const text = search.trim().toLowerCase();
  const shown = tables.filter((t) => `${t.schema ?? ''}.${t.table}`.toLowerCase().includes(text));
  const wanted = tables.filter((t) => chosen.has(keyOf(t)));
  const held = (t: DatabaseTable) => model.tables.find((own) => isTableOf(own, connection.name, t));
  const missing = wanted
    .flatMap((t) => t.references)
    .filter((r) => tables.some((t) => keyOf(t) === keyOf(r)) && !chosen.has(keyOf(r)));
  const attempt = async <T,>(work: () => Promise<T>, then: (result: T) => void) => {
    try {
      then(await work());
    } catch (reason) {
      fail(reason);
    }
  };
  /** The rows stay where they are: nothing is previewed or loaded. */
  const pass = () =>
    attempt(
      () =>
        ask(
          api.intake.passThrough,
          { id: state.id },
          { connection: connection.name, tables: wanted.map(nameOf) },
        ),
      ({ tables: fresh }) => {
        setChosen(new Set());
        tell({
          tone: 'plain',
          text:
            fresh.length === 0
              ? 'These tables are in the model already'
              : `${fresh.length === 1 ? fresh[0]! : many(fresh.length, 'table')} passed through: rows stay in ${connection.name}`,
        });
      },
    );
  const draw = async () => {
    setDrawing({ done: 0, of: wanted.length });
    const drawn: UploadState[] = [];
    try {
      for (const t of wanted) {
        drawn.push(...(await ask(api.databases.sample, at, { tables: [nameOf(t)] })));
        setDrawing({ done: drawn.length, of: wanted.length });
      }
    } catch (reason) {
      fail(reason);
    }
    setDrawing(undefined);
    // Those that came before one that could not be had are there to be taken in.
    if (drawn.length > 0) onDrawn(drawn);
  };
  return (
    <>
      <LeafHead title={connection.name} note={server}>
        <button
          className="btn"
          onClick={() =>
            void attempt(
              () => ask(api.databases.test, at),
              (state) => setServer(`${state.server} answers`),
            )
          }
        >
          Test
        </button>
        <button className="btn" onClick={onChange}>
          Change
        </button>
        <button className="btn btn-bare" onClick={onRemove}>
          Remove
        </button>
      </LeafHead>
      {error ? (
        <div className="p-4">
          <p role="alert" className="border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
            {error.message}
          </p>
          <button className="btn mt-3" onClick={() => void mutate()} disabled={isValidating}>
            Try again
          </button>
        </div>
      ) : !data ? (
        <p className="p-4 text-soft">Asking {connection.name} …</p>
      ) : (
        <>
          <div className="flex flex-wrap items-center gap-2 border-b border-rule px-4 py-2">
            <input
              className="field w-[150px]"
              placeholder="find a table"
              aria-label="Find a table"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
            <span className="flex-1 whitespace-nowrap text-soft">{many(shown.length, 'table')}</span>
            {missing.length > 0 && (
              <button className="btn" onClick={() => setChosen(new Set([...chosen, ...missing.map(keyOf)]))}>
                Add referenced tables
              </button>
            )}
            {connection.kind === 'postgresql' && (
              <button
                className="btn"
                disabled={wanted.length === 0 || drawing !== undefined}
                title="The tables join the model, and their rows stay in the database: questions and claims are asked there"
                onClick={() => void pass()}
              >
                Pass through
              </button>
            )}
            <button
              className="btn btn-act"
              disabled={wanted.length === 0 || drawing !== undefined}
              onClick={() => void draw()}
            >
              {drawing
                ? `Reading samples … ${drawing.done} of ${drawing.of}`
                : `Preview ${many(wanted.length, 'table')}`}
            </button>
          </div>
          <Rights
            rights={rights}
            file={connection.kind === 'sqlite'}
            onAsk={() =>
              void attempt(
                () =>
                  ask(api.databases.rights, at, {
                    tables: (wanted.length > 0 ? wanted : tables).map(nameOf),
                  }),
                setRights,
              )
            }
          />
          <div className="min-h-0 flex-1 overflow-auto">
            <table className="grid-plain" aria-label={`Tables of ${connection.name}`}>
              <thead>
                <tr>
                  <th scope="col">
                    <input
                      type="checkbox"
                      aria-label="Choose all tables that are shown"
                      checked={shown.length > 0 && shown.every((t) => chosen.has(keyOf(t)))}
                      onChange={(e) => {
                        const next = new Set(chosen);
                        for (const t of shown)
                          if (e.target.checked && t.readable) next.add(keyOf(t));
                          else next.delete(keyOf(t));
                        setChosen(next);
                      }}
                    />
                  </th>
                  <th scope="col">table</th>
                  <th scope="col" className="num">
                    rows, about
                  </th>
                  <th scope="col" className="num">
                    columns
                  </th>
                  <th scope="col">key</th>
                  <th scope="col">refers to</th>
                </tr>
              </thead>
              <tbody>
                {shown.map((t) => {
                  const key = keyOf(t);
                  return (
                    <tr key={key}>
                      <td>
                        <input
                          type="checkbox"
                          aria-label={`Choose ${t.table}`}
                          disabled={!t.readable}
                          checked={chosen.has(key)}
                          onChange={(e) => {
                            const next = new Set(chosen);
                            if (e.target.checked) next.add(key);
                            else next.delete(key);
                            setChosen(next);
                          }}
                        />
                      </td>
                      <td>
                        {t.schema !== null && <span className="text-soft">{t.schema}.</span>}
                        <b>{t.table}</b>
                        {t.kind === 'view' && <span className="ml-2 text-soft">view</span>}
                        {!t.readable && <span className="ml-2 text-vermilion">no permission</span>}
                        {held(t) && (
                          <span className="ml-2 text-soft">
                            {held(t)!.held === false ? 'passed through as' : 'imported as'} {held(t)!.name}
                          </span>
                        )}
                      </td>
                      <td className="num" title={t.rows === null ? 'unknown' : count(t.rows)}>
                        {t.rows === null ? '?' : compact(t.rows)}
                      </td>
                      <td className="num">{t.columns}</td>
                      <td className="text-soft">{t.key.join(', ')}</td>
                      <td className="text-soft">
                        {[...new Set(t.references.map((r) => r.table))].join(', ')}
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
            {shown.length === 0 && (
              <p className="p-4 text-soft">
                {tables.length === 0 ? 'This account can see no tables.' : 'No matches'}
              </p>
            )}
          </div>
        </>
      )}
    </>
  );
}

/** What the account could do beyond reading: loads run unattended, so it should be nothing. */
function Rights({
  rights,
  file,
  onAsk,
}: {
  rights: RightsState | undefined;
  file: boolean;
  onAsk: () => void;
}) {
  const [copied, setCopied] = useState(false);
  if (!rights)
    return (
      <p className="flex items-center gap-2 border-b border-rule px-4 py-[6px] text-soft">
        <span className="flex-1">
          Loads run unattended: the account should be able to read, and nothing else.
        </span>
        <button className="btn h-[24px]" onClick={onAsk}>
          Check rights
        </button>
      </p>
    );
  if (rights.excess.length === 0)
    return (
      <p className="border-b border-rule bg-green-wash px-4 py-[6px]">
        <b>{rights.account}</b> can read these tables; nothing more was found
        {rights.beyond.length > 0 ? `, but that it can read ${otherTables(rights.beyond)}` : ''}. Looked at:
        roles, schemas, tables and columns, sequences, functions.
      </p>
    );
  return (
    <div className="border-b border-rule bg-vermilion-wash/60 px-4 py-2">
      <p>
        <b>{rights.account}</b> could also
      </p>
      <ul className="ml-4 list-disc">
        {rights.excess.map((e) => (
          <li key={e}>{e}</li>
        ))}
      </ul>
      {rights.beyond.length > 0 && <p className="mt-1">It can also read {otherTables(rights.beyond)}.</p>}
      {rights.sql !== '' && (
        <details className="mt-1">
          <summary className="cursor-pointer">
            {file ? 'How to revoke them' : 'SQL for an account that reads these tables and nothing else'}
          </summary>
          <pre className="code mt-1 max-h-[180px] overflow-auto bg-raised p-2">{rights.sql}</pre>
          <button
            className="btn mt-1"
            onClick={() => {
              void navigator.clipboard.writeText(rights.sql).then(() => setCopied(true));
            }}
          >
            {copied ? 'Copied' : 'Copy'}
          </button>
        </details>
      )}
    </div>
  );
}

const otherTables = (names: readonly string[]): string =>
  names.length <= 3
    ? names.join(', ')
    : `${names.slice(0, 3).join(', ')} and ${names.length - 3} more tables`;
