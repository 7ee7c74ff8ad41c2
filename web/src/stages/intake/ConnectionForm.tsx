import { useState } from 'react';
import type { ReactNode } from 'react';
import type { ConnectionRequest, ConnectionsState, ConnectionState } from '@crease/contract';
import { LeafHead } from '../../frame/Leaves.tsx';

/** Where servers listen unless somebody says otherwise. */
const PORTS: Partial<Record<ConnectionState['kind'], number>> = {
  postgresql: 5432,
  mariadb: 3306,
  clickhouse: 8123,
};

/** A connection, new or changed. A password that is left empty stays as it is. */
export function ConnectionForm({
  known,
  account,
  onSave,
  onClose,
}: {
  known: ConnectionState | undefined;
  account: ConnectionsState['account'];
  onSave: (order: ConnectionRequest) => Promise<void>;
  onClose: () => void;
}) {
  const server = known && 'host' in known ? known : undefined;
  const [kind, setKind] = useState<ConnectionState['kind']>(known?.kind ?? 'postgresql');
  const [name, setName] = useState(known?.name ?? '');
  const [host, setHost] = useState(server?.host ?? 'localhost');
  const [port, setPort] = useState(String(server?.port ?? 5432));
  const [database, setDatabase] = useState(server?.database ?? '');
  const [own, setOwn] = useState(server ? (server.account?.own ?? false) : account === null);
  const [user, setUser] = useState(server?.account?.own ? server.account.user : '');
  const [password, setPassword] = useState('');
  const [clear, setClear] = useState(
    server !== undefined && 'clearPassword' in server && server.clearPassword === true,
  );
  const [file, setFile] = useState(known && 'file' in known ? known.file : '');
  const keeps = server?.account?.own === true && server.account.hasPassword;
  const isFile = kind === 'sqlite' || kind === 'duckdb';
  const choose = (next: ConnectionState['kind']) => {
    if (port === String(PORTS[kind])) setPort(String(PORTS[next] ?? port));
    setKind(next);
  };
  const order = (): ConnectionRequest =>
    kind === 'sqlite' || kind === 'duckdb'
      ? { kind, name, file }
      : {
          kind,
          name,
          host,
          port: Number(port),
          database,
          ...(clear && kind !== 'mariadb' ? { clearPassword: true } : {}),
          ...(own ? { user, ...(password === '' ? {} : { password }) } : {}),
        };
  return (
    <form
      aria-label={known ? `Change ${known.name}` : 'New connection'}
      onSubmit={(e) => {
        e.preventDefault();
        void onSave(order());
      }}
      onKeyDown={(e) => e.key === 'Escape' && onClose()}
    >
      <LeafHead title={known ? `Change ${known.name}` : 'New connection'} />
      <div className="grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-2 p-4">
        <KindField kind={kind} setKind={choose} known={known} />
        <Line label="name">
          <input
            className="field w-[220px]"
            value={name}
            onChange={(e) => setName(e.target.value)}
            disabled={known !== undefined}
            placeholder="warehouse"
            aria-label="Name of the connection"
            autoFocus={!known}
          />
        </Line>
        {isFile ? (
          <Line label={kind === 'duckdb' ? 'file or folder' : 'file'}>
            <input
              className="field w-full"
              value={file}
              onChange={(e) => setFile(e.target.value)}
              placeholder="its path on this machine"
              aria-label={kind === 'duckdb' ? 'Path of the file or folder' : 'Path of the file'}
            />
          </Line>
        ) : (
          <>
            <HostFields host={host} setHost={setHost} port={port} setPort={setPort} />
            <Line label="database">
              <input
                className="field w-[220px]"
                value={database}
                onChange={(e) => setDatabase(e.target.value)}
                aria-label="Database"
              />
            </Line>
            <WhichAccount own={own} setOwn={setOwn} account={account} />
            {kind !== 'mariadb' && <ClearField kind={kind} clear={clear} setClear={setClear} />}
            {own && (
              <AccountFields
                user={user}
                setUser={setUser}
                password={password}
                keeps={keeps}
                setPassword={setPassword}
              />
            )}
          </>
        )}
      </div>
      <p className="flex gap-2 px-4 pb-3">
        <button className="btn btn-act">Save</button>
        <button type="button" className="btn" onClick={onClose}>
          Close
        </button>
      </p>
      <p className="max-w-[70ch] px-4 text-soft">
        {!isFile
          ? 'Crease only reads. Passwords are kept encrypted on this machine, under a key outside of the workspace file; they are sent to the database and nowhere else.'
          : 'Crease only reads.'}
      </p>
    </form>
  );
}

function Line({ label, children }: { label: string; children: ReactNode }) {
  return (
    <>
      <span className="text-soft">{label}</span>
      {children}
    </>
  );
}

/** Which kind of database it is. */
function KindField({
  kind,
  setKind,
  known,
}: {
  kind: ConnectionState['kind'];
  setKind: (next: ConnectionState['kind']) => void;
  known: ConnectionState | undefined;
}) {
  return (
    <Line label="kind">
      <select
        className="field w-[220px]"
        value={kind}
        onChange={(e) => setKind(e.target.value as typeof kind)}
        disabled={known !== undefined}
        aria-label="Kind of database"
      >
        <option value="postgresql">PostgreSQL</option>
        <option value="mariadb">MariaDB</option>
        <option value="clickhouse">ClickHouse, over HTTP</option>
        <option value="sqlite">a SQLite file</option>
        <option value="duckdb">a DuckDB file, or Parquet files</option>
      </select>
    </Line>
  );
}

/** Whether a password may be sent so that others can read it. */
function ClearField({
  kind,
  clear,
  setClear,
}: {
  kind: ConnectionState['kind'];
  clear: boolean;
  setClear: (next: boolean) => void;
}) {
  return (
    <Line label="">
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={clear} onChange={(e) => setClear(e.target.checked)} />
        {kind === 'clickhouse'
          ? 'allow sending the password unencrypted to another machine'
          : 'allow sending the password unencrypted if the server asks for it'}
      </label>
    </Line>
  );
}

/** Where the server listens. */
function HostFields({
  host,
  setHost,
  port,
  setPort,
}: {
  host: string;
  setHost: (next: string) => void;
  port: string;
  setPort: (next: string) => void;
}) {
  return (
    <Line label="host, port">
      <span className="flex gap-2">
        <input
          className="field w-[220px]"
          value={host}
          onChange={(e) => setHost(e.target.value)}
          aria-label="Host"
        />
        <input
          className="field num w-[74px]"
          inputMode="numeric"
          value={port}
          onChange={(e) => setPort(e.target.value)}
          aria-label="Port"
        />
      </span>
    </Line>
  );
}

/** Who reads, and by which password. */
function AccountFields({
  user,
  setUser,
  password,
  keeps,
  setPassword,
}: {
  user: string;
  setUser: (next: string) => void;
  password: string;
  keeps: boolean;
  setPassword: (next: string) => void;
}) {
  return (
    <>
      <Line label="user">
        <input
          className="field w-[220px]"
          value={user}
          onChange={(e) => setUser(e.target.value)}
          autoComplete="off"
          aria-label="User"
        />
      </Line>
      <Line label="password">
        <input
          className="field w-[220px]"
          type="password"
          value={password}
          placeholder={keeps ? 'unchanged' : ''}
          onChange={(e) => setPassword(e.target.value)}
          autoComplete="off"
          aria-label="Password"
        />
      </Line>
    </>
  );
}

/** Whether the account of the environment reads, or one of its own. */
function WhichAccount({
  own,
  setOwn,
  account,
}: {
  own: boolean;
  setOwn: (next: boolean) => void;
  account: ConnectionsState['account'];
}) {
  return (
    <Line label="account">
      <span className="flex flex-col gap-1">
        <label className="flex items-center gap-2">
          <input type="radio" name="account" checked={!own} onChange={() => setOwn(false)} />
          the workspace&apos;s: {account ? <b>{account.user}</b> : <i className="text-soft">none</i>}
        </label>
        <label className="flex items-center gap-2">
          <input type="radio" name="account" checked={own} onChange={() => setOwn(true)} />
          own
        </label>
      </span>
    </Line>
  );
}
