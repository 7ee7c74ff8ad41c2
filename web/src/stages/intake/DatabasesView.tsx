import { useState } from 'react';
import type { ConnectionState, ConnectionsState, UploadState } from '@crease/contract';
import { api } from '@crease/contract';
import { ask } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { useParam } from '../../state/selection.ts';
import { Blank, LeafHead } from '../../frame/Leaves.tsx';
import { ConnectionForm } from './ConnectionForm.tsx';
import { DatabaseTables } from './DatabaseTables.tsx';

const NEW = 'new connection';

/**
 * Databases: connections on the left, the tables of the chosen one beside; what is chosen goes on its way in
 * like files.
 */
export function DatabasesView({
  onBack,
  onDrawn,
}: {
  onBack: () => void;
  onDrawn: (uploads: readonly UploadState[]) => void;
}) {
  const { fail, tell } = useModel();
  const { data, error, mutate } = useAnswer(api.databases.list, {}, { revalidateOnFocus: true });
  const [of, setOf] = useParam('of');
  const [changing, setChanging] = useState(false);
  const connections = data?.connections ?? [];
  const chosen = connections.find((c) => c.name === of);
  const act = async (work: () => Promise<ConnectionsState | undefined>) => {
    try {
      const next = await work();
      await mutate(next, { revalidate: next === undefined });
      return true;
    } catch (reason) {
      fail(reason);
      return false;
    }
  };
  const drop = async (connection: ConnectionState) => {
    if (!(await act(async () => void (await ask(api.databases.remove, { connection: connection.name })))))
      return;
    setOf(undefined);
    tell({
      tone: 'plain',
      text: `The connection ${connection.name} removed; rows loaded from it stay`,
    });
  };
  const adding = of === NEW || (data !== undefined && connections.length === 0);
  return (
    <>
      <LeafHead title="Databases">
        <button className="btn" onClick={onBack}>
          Back to Intake
        </button>
      </LeafHead>
      {error && <p className="p-4 text-vermilion">{error.message}</p>}
      <div className="flex min-h-0 flex-1">
        <nav className="flex w-[176px] shrink-0 flex-col border-r border-rule" aria-label="Connections">
          <ul className="min-h-0 flex-1 overflow-auto">
            {connections.map((c) => (
              <li key={c.name}>
                <button
                  className="rowlink px-3 py-[5px]"
                  aria-current={c.name === of}
                  onClick={() => {
                    setChanging(false);
                    setOf(c.name);
                  }}
                >
                  <span className="block truncate font-semibold">{c.name}</span>
                  <span className="block truncate text-[12px] text-soft" title={placeOf(c)}>
                    {placeOf(c)}
                  </span>
                </button>
              </li>
            ))}
          </ul>
          <div className="border-t border-rule p-2">
            <button className="btn w-full justify-center" onClick={() => setOf(NEW)}>
              New connection
            </button>
          </div>
          {data && (
            <Account
              state={data}
              onSave={(account) => act(() => ask(api.databases.setAccount, {}, account))}
            />
          )}
        </nav>
        <div className="flex min-w-0 flex-1 flex-col overflow-auto">
          {adding || (chosen && changing) ? (
            <ConnectionForm
              key={chosen?.name ?? ''}
              known={chosen}
              account={data?.account ?? null}
              onSave={async (order) => {
                if (!(await act(() => ask(api.databases.put, {}, order)))) return;
                setChanging(false);
                setOf(order.name);
              }}
              onClose={() => {
                setChanging(false);
                if (!chosen) setOf(undefined);
              }}
            />
          ) : chosen ? (
            <DatabaseTables
              key={chosen.name}
              connection={chosen}
              onChange={() => setChanging(true)}
              onRemove={() => void drop(chosen)}
              onDrawn={onDrawn}
            />
          ) : (
            <Blank>Choose a connection to see its tables. Crease only ever reads from a database.</Blank>
          )}
        </div>
      </div>
    </>
  );
}

const placeOf = (c: ConnectionState): string =>
  'file' in c ? c.file : `${c.host}:${c.port} / ${c.database}`;

/** The account of the workspace, for connections that have none of their own: it changes in one place. */
function Account({
  state,
  onSave,
}: {
  state: ConnectionsState;
  onSave: (account: { user: string; password?: string }) => Promise<boolean>;
}) {
  const [open, setOpen] = useState(false);
  const [user, setUser] = useState(state.account?.user ?? '');
  const [password, setPassword] = useState('');
  return (
    <section className="border-t border-rule p-2" aria-label="Account of the workspace">
      <p className="eyebrow">account of the workspace</p>
      {!open ? (
        <p className="flex items-center gap-2">
          <span className="min-w-0 flex-1 truncate">
            {state.account ? state.account.user : <i className="text-soft">none</i>}
          </span>
          <button className="btn btn-bare h-[24px]" onClick={() => setOpen(true)}>
            {state.account ? 'change' : 'add'}
          </button>
        </p>
      ) : (
        <form
          className="flex flex-col gap-1"
          onSubmit={(e) => {
            e.preventDefault();
            void onSave({ user, ...(password === '' ? {} : { password }) }).then((done) => {
              if (!done) return;
              setOpen(false);
              setPassword('');
            });
          }}
          onKeyDown={(e) => e.key === 'Escape' && setOpen(false)}
        >
          <input
            className="field"
            aria-label="User of the workspace's account"
            placeholder="user"
            value={user}
            onChange={(e) => setUser(e.target.value)}
            autoFocus
          />
          <input
            className="field"
            type="password"
            autoComplete="off"
            aria-label="Password of the workspace's account"
            placeholder={state.account?.hasPassword ? 'password: unchanged' : 'password'}
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
          <span className="flex gap-1">
            <button className="btn btn-act flex-1 justify-center" disabled={user.trim() === ''}>
              Save
            </button>
            <button type="button" className="btn btn-bare" onClick={() => setOpen(false)}>
              Close
            </button>
          </span>
        </form>
      )}
    </section>
  );
}
