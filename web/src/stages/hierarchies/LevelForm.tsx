import { useState } from 'react';
import { sameName } from '@crease/core/model';
import type { Level, LevelColumn } from './useHierarchy.ts';

/** What a level shows, what tells its members apart, and what they are ordered by. */
export function LevelForm({
  level,
  columns,
  taken,
  onChange,
}: {
  level: Level;
  columns: readonly LevelColumn[];
  /** Names of the other levels. */
  taken: readonly string[];
  onChange: (level: Level, says: string) => void;
}) {
  const [name, setName] = useState(level.name);
  const keys = level.key === undefined ? [] : [level.key].flat();
  const fault =
    name.trim() === ''
      ? 'a level needs a name'
      : taken.some((t) => sameName(t, name.trim()))
        ? 'another level has this name'
        : '';
  const put = (change: Partial<Level>, says: string) => {
    const next = { ...level, ...change };
    const { key, orderBy, ...rest } = next;
    const told = key === undefined ? [] : [key].flat();
    onChange(
      {
        ...rest,
        ...(told.length === 0 ? {} : { key: told.length === 1 ? told[0]! : told }),
        ...(orderBy ? { orderBy } : {}),
      },
      says,
    );
  };
  const putKeys = (next: readonly string[]) =>
    put(
      { key: [...next] },
      `set the key of the level ${level.name} to ${next.length === 0 ? 'its column' : next.join(', ')}`,
    );
  const options = columns.map((c) => (
    <option key={c.path} value={c.path}>
      {c.path}
    </option>
  ));
  return (
    <fieldset
      className="my-1 grid grid-cols-[110px_1fr] items-center gap-x-3 gap-y-1 border border-rule-strong bg-raised p-3"
      aria-label={`Level ${level.name}`}
    >
      <label htmlFor="level-name" className="text-soft">
        Name
      </label>
      <span className="flex items-center gap-2">
        <input
          id="level-name"
          className="field w-[180px]"
          value={name}
          onChange={(e) => setName(e.target.value)}
          onBlur={() =>
            fault === '' &&
            name.trim() !== level.name &&
            put({ name: name.trim() }, `rename the level ${level.name} to ${name.trim()}`)
          }
          onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
        />
        {fault && <span className="text-vermilion">{fault}</span>}
      </span>
      <label htmlFor="level-column" className="text-soft">
        shows
      </label>
      <select
        id="level-column"
        className="field"
        value={level.column}
        onChange={(e) =>
          put({ column: e.target.value }, `set the column of the level ${level.name} to ${e.target.value}`)
        }
      >
        {!columns.some((c) => c.path === level.column) && (
          <option value={level.column}>{level.column}</option>
        )}
        {options}
      </select>
      <span className="text-soft">Key</span>
      <KeyField keys={keys} putKeys={putKeys} level={level} options={options} />
      <label htmlFor="level-order" className="text-soft">
        Order by
      </label>
      <select
        id="level-order"
        className="field"
        value={level.orderBy ?? ''}
        onChange={(e) => {
          const { orderBy: _, ...rest } = level;
          onChange(
            e.target.value === '' ? rest : { ...rest, orderBy: e.target.value },
            `order the level ${level.name} by ${e.target.value || 'its column'}`,
          );
        }}
      >
        <option value="">its column</option>
        {options}
      </select>
    </fieldset>
  );
}

/** Columns that tell members of the level apart. */
function KeyField({
  keys,
  putKeys,
  level,
  options,
}: {
  keys: readonly string[];
  putKeys: (next: readonly string[]) => void;
  level: Level;
  options: React.ReactNode;
}) {
  return (
    <span className="flex flex-wrap items-center gap-1">
      {keys.length === 0 && <span className="text-soft">its column</span>}
      {keys.map((k) => (
        <button
          key={k}
          className="btn h-[24px]"
          title="Remove from the key"
          onClick={() => putKeys(keys.filter((x) => x !== k))}
        >
          {k} <span aria-hidden>×</span>
        </button>
      ))}
      <select
        className="field h-[24px]"
        value=""
        aria-label={`Add a column to the key of ${level.name}`}
        onChange={(e) => e.target.value && putKeys([...keys, e.target.value])}
      >
        <option value="">{keys.length === 0 ? 'a key …' : 'and …'}</option>
        {options}
      </select>
    </span>
  );
}
