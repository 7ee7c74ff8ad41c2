import { ArrowDown, ArrowUp, SlidersHorizontal, X } from 'lucide-react';
import type { Hierarchy } from '@crease/core/model';
import type { LevelFact } from '@crease/core/query';
import { VerdictMark } from '../../parts/Marks.tsx';
import { cellText, count, many } from '../../parts/text.ts';
import type { Level } from './useHierarchy.ts';

/** What is dragged of a level: its place in the stack. */
export const LEVEL = 'application/x-crease-level';

/** A level as a bar, the wider the more members it has; dragged, or moved by keys. */
export function Rung({
  f,
  width,
  i,
  setOpen,
  open,
  move,
  onChange,
  levels,
  level,
  h,
}: {
  f: LevelFact | undefined;
  width: (members: number) => number;
  i: number;
  setOpen: (next: number | undefined) => void;
  open: number | undefined;
  move: (from: number, to: number) => void;
  onChange: (levels: Level[], says: string) => void;
  levels: readonly Level[];
  level: Level;
  h: Hierarchy;
}) {
  return (
    <span className="flex flex-1 justify-center">
      <button
        className={`flex h-[38px] cursor-grab items-center justify-between gap-2 border bg-raised px-3 text-left ${f && f.torn > 0 ? 'border-vermilion' : 'border-ink'}`}
        style={{ width: `${f ? width(f.members) : 40}%`, minWidth: 168 }}
        draggable
        onDragStart={(e) => e.dataTransfer.setData(LEVEL, String(i))}
        onClick={() => setOpen(open === i ? undefined : i)}
        onKeyDown={(e) => {
          if (e.altKey && e.key === 'ArrowUp') move(i, i - 1);
          if (e.altKey && e.key === 'ArrowDown') move(i, i + 1);
          if (e.key === 'Delete')
            onChange(
              levels.filter((_, j) => j !== i),
              `remove ${level.name} from ${h.name}`,
            );
        }}
        aria-expanded={open === i}
        title={`column ${level.column}${level.key === undefined ? '' : `, key ${[level.key].flat().join(', ')}`}${level.orderBy ? `, ordered by ${level.orderBy}` : ''}. Drag to reorder, or Alt with an arrow`}
      >
        <span className="min-w-0 truncate font-serif font-semibold">{level.name}</span>
        <span className="whitespace-nowrap tabular-nums text-soft">{f ? many(f.members, 'member') : ''}</span>
      </button>
    </span>
  );
}

/** What the rows say of a level. */
export function RungFacts({
  f,
  levels,
  i,
  level,
}: {
  f: LevelFact | undefined;
  levels: readonly Level[];
  i: number;
  level: Level;
}) {
  return (
    <span className="w-[150px] text-[12px]">
      {f && f.torn > 0 && (
        <span className="block text-vermilion">
          <VerdictMark verdict="broken" size={9} /> {many(f.torn, 'member')} in several of{' '}
          {levels[i - 1]?.name}
        </span>
      )}
      {f && f.nulls > 0 && <span className="block text-soft">{many(f.nulls, 'row')} without: ragged</span>}
      {f?.average !== undefined && (
        <span className="block text-soft" title={`Most in ${cellText(f.most!.of)}`}>
          {f.average.toLocaleString(undefined, { maximumFractionDigits: 1 })} each, at most{' '}
          {count(f.most!.members)}
        </span>
      )}
      {(!f || (f.torn === 0 && f.nulls === 0 && f.average === undefined)) && (
        <span className="block truncate text-soft">{level.column}</span>
      )}
    </span>
  );
}

/** Opens, moves and removes a level. */
export function RungTools({
  level,
  setOpen,
  open,
  i,
  move,
  levels,
  onChange,
  h,
}: {
  level: Level;
  setOpen: (next: number | undefined) => void;
  open: number | undefined;
  i: number;
  move: (from: number, to: number) => void;
  levels: readonly Level[];
  onChange: (levels: Level[], says: string) => void;
  h: Hierarchy;
}) {
  return (
    <span className="flex">
      <IconButton
        label={`Column, key and order of ${level.name}`}
        onClick={() => setOpen(open === i ? undefined : i)}
      >
        <SlidersHorizontal size={13} aria-hidden />
      </IconButton>
      <IconButton label={`Move ${level.name} up`} disabled={i === 0} onClick={() => move(i, i - 1)}>
        <ArrowUp size={13} aria-hidden />
      </IconButton>
      <IconButton
        label={`Move ${level.name} down`}
        disabled={i === levels.length - 1}
        onClick={() => move(i, i + 1)}
      >
        <ArrowDown size={13} aria-hidden />
      </IconButton>
      <IconButton
        label={`Remove ${level.name}`}
        onClick={() =>
          onChange(
            levels.filter((_, j) => j !== i),
            `remove ${level.name} from ${h.name}`,
          )
        }
      >
        <X size={13} aria-hidden />
      </IconButton>
    </span>
  );
}

function IconButton({
  label,
  disabled = false,
  onClick,
  children,
}: {
  label: string;
  disabled?: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  return (
    <button
      className="btn btn-bare px-1"
      disabled={disabled}
      onClick={onClick}
      aria-label={label}
      title={label}
    >
      {children}
    </button>
  );
}
