import { useState } from 'react';
import type { DragEvent } from 'react';
import type { Hierarchy } from '@crease/core/model';
import { levelName } from '@crease/core/propose';
import type { LevelFact } from '@crease/core/query';
import { LevelForm } from './LevelForm.tsx';
import type { Level } from './useHierarchy.ts';
import { useFacts, useLevelColumns } from './useHierarchy.ts';
import { LEVEL, Rung, RungFacts, RungTools } from './Rung.tsx';

/** What is dragged: a column that is not a level yet, or a level by its place (`LEVEL`). */
const COLUMN = 'application/x-crease-column';

/**
 * Levels as rungs whose width is the number of members: columns are dragged in, rungs are dragged to another
 * place.
 */
export function LevelStack({
  hierarchy: h,
  onChange,
}: {
  hierarchy: Hierarchy;
  onChange: (levels: Level[], says: string) => void;
}) {
  const levels = h.levels ?? [];
  const { data, error } = useFacts(h);
  const [open, setOpen] = useState<number>();
  const [over, setOver] = useState<number>();
  const columns = useLevelColumns(h.table);
  // Facts of a stack with other levels are those of a moment ago: what still has its name is shown.
  const factOf = (level: Level, i: number): LevelFact | undefined =>
    data?.levels[i]?.name === level.name ? data.levels[i] : data?.levels.find((f) => f.name === level.name);
  const most = Math.max(1, ...levels.map((l, i) => factOf(l, i)?.members ?? 0));
  // Members grow by orders of magnitude from level to level: widths follow the logarithm.
  const width = (members: number) => 12 + (88 * Math.log1p(members)) / Math.log1p(most);
  const move = (from: number, to: number) => {
    if (from === to || to < 0 || to >= levels.length) return;
    const next = levels.slice();
    const [level] = next.splice(from, 1);
    next.splice(to, 0, level!);
    setOpen(undefined);
    onChange(next, `move ${level!.name} ${to < from ? 'up' : 'down'} in ${h.name}`);
  };
  const add = (path: string, at = levels.length) => {
    const name = levelName(path, h.table, levels);
    const next = levels.slice();
    next.splice(at, 0, { name, column: path });
    onChange(next, `add the level ${name} to ${h.name}`);
  };
  const drop = (event: DragEvent, at: number) => {
    event.preventDefault();
    setOver(undefined);
    const from = event.dataTransfer.getData(LEVEL);
    if (from !== '') move(Number(from), Number(from) < at ? at - 1 : at);
    else if (event.dataTransfer.getData(COLUMN) !== '') add(event.dataTransfer.getData(COLUMN), at);
  };
  const zone = (at: number) => ({
    onDragOver: (e: DragEvent) => {
      if (!e.dataTransfer.types.includes(LEVEL) && !e.dataTransfer.types.includes(COLUMN)) return;
      e.preventDefault();
      setOver(at);
    },
    onDragLeave: () => setOver((o) => (o === at ? undefined : o)),
    onDrop: (e: DragEvent) => drop(e, at),
  });
  const gap = (at: number) => (
    <span
      aria-hidden
      className={`block h-[6px] ${over === at ? 'bg-ink' : ''}`}
      style={{ margin: '0 20%' }}
      {...zone(at)}
    />
  );
  return (
    <div className="flex min-h-0 flex-1">
      <div className="min-w-0 flex-1 overflow-auto p-4">
        {error && (
          <p className="mb-3 whitespace-pre-line border-l-4 border-vermilion bg-vermilion-wash px-3 py-1">
            {error.message}
          </p>
        )}
        <ol aria-label="Levels from the top">
          {levels.map((level, i) => {
            const f = factOf(level, i);
            const acts = {
              isOpen: open === i,
              onToggle: () => setOpen(open === i ? undefined : i),
              onMove: (by: -1 | 1) => move(i, i + by),
              onRemove: () =>
                onChange(
                  levels.filter((_, j) => j !== i),
                  `remove ${level.name} from ${h.name}`,
                ),
            };
            return (
              <li key={`${level.name}${i}`}>
                {gap(i)}
                <div className="flex items-center gap-2" {...zone(i)}>
                  <Rung level={level} place={i} fact={f} width={width} acts={acts} />
                  <RungFacts level={level} above={levels[i - 1]} fact={f} />
                  <RungTools level={level} isFirst={i === 0} isLast={i === levels.length - 1} acts={acts} />
                </div>
                {open === i && (
                  <LevelForm
                    level={level}
                    columns={columns}
                    taken={levels.filter((l) => l !== level).map((l) => l.name)}
                    onChange={(next, says) =>
                      onChange(
                        levels.map((l, j) => (j === i ? next : l)),
                        says,
                      )
                    }
                  />
                )}
              </li>
            );
          })}
        </ol>
        <LastPlace over={over} levels={levels} zone={zone} />
      </div>
      <Palette columns={columns} levels={levels} table={h.table} onAdd={(path) => add(path)} />
    </div>
  );
}

const SEARCHED_FROM = 16;

/** Columns that are no level yet, by their table. */
function Palette({
  columns,
  levels,
  table,
  onAdd,
}: {
  columns: ReturnType<typeof useLevelColumns>;
  levels: readonly Level[];
  table: string;
  onAdd: (path: string) => void;
}) {
  const [search, setSearch] = useState('');
  const left = columns.filter(
    (c) => !levels.some((l) => l.column === c.path) && c.path.toLowerCase().includes(search.toLowerCase()),
  );
  const groups = Map.groupBy(left, (c) => c.table);
  return (
    <aside className="flex w-[172px] shrink-0 flex-col border-l border-rule" aria-label="Columns">
      {columns.length > SEARCHED_FROM && (
        <input
          className="field m-2"
          placeholder="find a column"
          aria-label="Find a column"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
      )}
      <div className="min-h-0 flex-1 overflow-auto py-1">
        {[...groups].map(([name, list]) => (
          <section key={name}>
            <h3 className="eyebrow px-3 pt-1">{name === table ? 'own columns' : name}</h3>
            {list.map((c) => (
              <button
                key={c.path}
                className="rowlink cursor-grab truncate px-3 py-[2px]"
                draggable
                onDragStart={(e) => e.dataTransfer.setData(COLUMN, c.path)}
                onClick={() => onAdd(c.path)}
                title={`${c.path} (${c.type}): drag it into the stack, or click to add it below`}
              >
                {c.path.split('.').at(-1)!.replaceAll('"', '')}
              </button>
            ))}
          </section>
        ))}
      </div>
    </aside>
  );
}

/** The place below the last level. */
function LastPlace({
  over,
  levels,
  zone,
}: {
  over: number | undefined;
  levels: readonly Level[];
  zone: (at: number) => {
    onDragOver: (e: DragEvent) => void;
    onDragLeave: () => void;
    onDrop: (e: DragEvent) => void;
  };
}) {
  return (
    <div
      className={`mt-2 border border-dashed px-3 py-3 text-center text-soft ${over === levels.length ? 'border-ink bg-raised' : 'border-rule-strong'}`}
      {...zone(levels.length)}
    >
      {levels.length === 0
        ? 'Drag a column here, the topmost level first, or click one'
        : 'Drag a column here, or between two levels'}
    </div>
  );
}
