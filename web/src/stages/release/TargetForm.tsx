import { useState } from 'react';
import type { ReleaseTarget } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';

type Kind = 'sqlite' | 'parquet' | 'csv' | 'postgresql';
const KINDS: readonly (readonly [Kind, string])[] = [
  ['postgresql', 'a schema of PostgreSQL'],
  ['sqlite', 'a SQLite file'],
  ['parquet', 'a folder of Parquet files'],
  ['csv', 'a folder of CSV files'],
];

/** Names a target; secrets are never part of it. */
export function TargetForm({ onDone }: { onDone: () => void }) {
  const { model, edit } = useModel();
  const [name, setName] = useState('');
  const [kind, setKind] = useState<Kind>('sqlite');
  const [place, setPlace] = useState('');
  const [connection, setConnection] = useState('');
  const [hasReaders, setHasReaders] = useState(true);
  const [grant, setGrant] = useState<Readonly<Record<string, string>>>({});
  const isTaken = (model.targets ?? []).some((t) => sameName(t.name, name.trim()));
  const isDatabase = kind === 'postgresql';
  const isReady =
    name.trim() !== '' && !isTaken && place.trim() !== '' && (!isDatabase || connection.trim() !== '');
  const value = (): ReleaseTarget => {
    const [own, at] = [name.trim(), place.trim()];
    const readers = hasReaders ? {} : { readers: false };
    const granted = Object.entries(grant).flatMap(([audience, role]) =>
      role.trim() === '' ? [] : [[audience, role.trim()] as const],
    );
    if (kind === 'postgresql')
      return {
        name: own,
        kind,
        connection: connection.trim(),
        schema: at,
        ...(granted.length > 0 ? { grant: Object.fromEntries(granted) } : {}),
        ...readers,
      };
    if (kind === 'sqlite') return { name: own, kind, file: at, ...readers };
    return { name: own, kind: 'folder', path: at, as: kind, ...readers };
  };
  const add = async () => {
    const target = value();
    const edited = [{ do: 'put-targets' as const, name: null, value: target }];
    if (await edit(edited, `add the target ${target.name}`)) onDone();
  };
  return (
    <form
      aria-label="New target"
      className="my-2 flex flex-wrap items-end gap-3 border border-rule bg-raised p-3"
      onSubmit={(event) => {
        event.preventDefault();
        void add();
      }}
      onKeyDown={(event) => event.key === 'Escape' && onDone()}
    >
      <label className="flex flex-col">
        <span className="text-soft">name</span>
        <input
          autoFocus
          className="field w-[130px]"
          value={name}
          aria-invalid={isTaken}
          onChange={(e) => setName(e.target.value)}
        />
      </label>
      <label className="flex flex-col">
        <span className="text-soft">what it is</span>
        <select className="field" value={kind} onChange={(e) => setKind(e.target.value as Kind)}>
          {KINDS.map(([value, text]) => (
            <option key={value} value={value}>
              {text}
            </option>
          ))}
        </select>
      </label>
      {isDatabase && (
        <label className="flex flex-col">
          <span className="text-soft">connection</span>
          <input
            className="field w-[130px]"
            value={connection}
            onChange={(e) => setConnection(e.target.value)}
          />
        </label>
      )}
      <label className="flex flex-col">
        <span className="text-soft">
          {isDatabase
            ? 'schema'
            : kind === 'sqlite'
              ? 'file, beside the workspace'
              : 'folder, beside the workspace'}
        </span>
        <input
          className="field w-[200px]"
          value={place}
          placeholder={isDatabase ? 'mart' : kind === 'sqlite' ? 'out/mart.sqlite' : 'out/mart'}
          onChange={(e) => setPlace(e.target.value)}
        />
      </label>
      <label className="flex items-center gap-1 py-1">
        <input type="checkbox" checked={hasReaders} onChange={(e) => setHasReaders(e.target.checked)} />
        shown in the reading room
      </label>
      <button className="btn" disabled={!isReady}>
        Add
      </button>
      <button type="button" className="btn btn-bare" onClick={onDone}>
        Cancel
      </button>
      {isDatabase && (model.perspectives ?? []).length > 0 && (
        <RoleFields grant={grant} setGrant={setGrant} />
      )}
      {isTaken && <span className="text-vermilion">there is a target of that name already</span>}
      {isDatabase && connection.trim() !== '' && (
        <p className="w-full text-soft">
          The account that writes is taken from the environment of the server:{' '}
          <code>{`CREASE_CONNECTION_${connection
            .trim()
            .toUpperCase()
            .replace(/[^A-Z0-9]+/g, '_')}_WRITE_URL`}</code>{' '}
          and <code>…_WRITE_PASSWORD</code>.
        </p>
      )}
    </form>
  );
}

/** Roles that may read what an audience sees. */
function RoleFields({
  grant,
  setGrant,
}: {
  grant: Readonly<Record<string, string>>;
  setGrant: React.Dispatch<React.SetStateAction<Readonly<Record<string, string>>>>;
}) {
  const { model } = useModel();
  return (
    <fieldset className="flex w-full flex-wrap gap-3">
      <legend className="text-soft">roles that may read, where they exist</legend>
      {model.perspectives!.map((p) => (
        <label key={p.name} className="flex items-center gap-1">
          {p.title ?? p.name}
          <input
            className="field h-[24px] w-[130px]"
            placeholder="no role"
            value={grant[p.name] ?? ''}
            onChange={(e) => setGrant((g) => ({ ...g, [p.name]: e.target.value }))}
          />
        </label>
      ))}
    </fieldset>
  );
}
