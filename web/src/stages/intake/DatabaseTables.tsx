import { useState } from 'react';
import type { ConnectionState, DatabaseTable, RightsState, UploadState } from '@crease/contract';
import { api } from '@crease/contract';
import { ask } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { LeafHead } from '../../frame/Leaves.tsx';
import { isTableOf } from '@crease/core/model';
import { nameOf } from './databaseTable.ts';
import { useAttempt, useChosenTables } from './useChosenTables.ts';
import { TablesGrid } from './DatabaseTablesGrid.tsx';
import { TablesBar } from './DatabaseTablesBar.tsx';

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
  const { model } = useModel();
  const at = { connection: connection.name };
  const { data, error, mutate, isValidating } = useAnswer(api.databases.tables, at, {
    shouldRetryOnError: false,
  });
  const attempt = useAttempt();
  const tables = data ?? [];
  const { chosen, setChosen, wanted, missing, drawing, pass, draw } = useChosenTables(
    connection,
    tables,
    onDrawn,
  );
  const [search, setSearch] = useState('');
  const [rights, setRights] = useState<RightsState>();
  const [server, setServer] = useState<string>();
  const text = search.trim().toLowerCase();
  const shown = tables.filter((t) => `${t.schema ?? ''}.${t.table}`.toLowerCase().includes(text));
  const held = (t: DatabaseTable) => model.tables.find((own) => isTableOf(own, connection.name, t));
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
        <TablesUnavailable error={error} mutate={mutate} isValidating={isValidating} />
      ) : !data ? (
        <p className="p-4 text-soft">Asking {connection.name} …</p>
      ) : (
        <>
          <TablesBar
            search={search}
            setSearch={setSearch}
            shown={shown}
            missing={missing}
            setChosen={setChosen}
            chosen={chosen}
            wanted={wanted}
            drawing={drawing}
            pass={pass}
            draw={draw}
          />
          <Rights
            rights={rights}
            file={'file' in connection}
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
          <TablesGrid
            connection={connection}
            shown={shown}
            chosen={chosen}
            setChosen={setChosen}
            held={held}
            tables={tables}
          />
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
  const { fail } = useModel();
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
              void navigator.clipboard.writeText(rights.sql).then(() => setCopied(true), fail);
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

/** Why the tables of a database could not be listed, and another try. */
function TablesUnavailable({
  error,
  mutate,
  isValidating,
}: {
  error: Error;
  mutate: () => Promise<unknown>;
  isValidating: boolean;
}) {
  return (
    <div className="p-4">
      <p role="alert" className="border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
        {error.message}
      </p>
      <button className="btn mt-3" onClick={() => void mutate()} disabled={isValidating}>
        Try again
      </button>
    </div>
  );
}
