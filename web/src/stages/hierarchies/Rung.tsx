import { ArrowDown, ArrowUp, SlidersHorizontal, X } from 'lucide-react';
import type { LevelFact } from '@crease/core/query';
import { VerdictMark } from '../../parts/Marks.tsx';
import { cellText, count, many } from '../../parts/text.ts';
import type { Level } from './useHierarchy.ts';

/** What is dragged of a level: its place in the stack. */
export const LEVEL = 'application/x-crease-level';

/** What can be done with a level in its stack. */
interface LevelActs {
  readonly isOpen: boolean;
  readonly onToggle: () => void;
  /** To the place before (-1) or behind (1). */
  readonly onMove: (by: -1 | 1) => void;
  readonly onRemove: () => void;
}

/** A level as a bar, the wider the more members it has; dragged, or moved by keys. */
export function Rung({
  level,
  place,
  fact,
  width,
  acts: { isOpen, onToggle, onMove, onRemove },
}: {
  level: Level;
  place: number;
  fact: LevelFact | undefined;
  width: (members: number) => number;
  acts: LevelActs;
}) {
  return (
    <span className="flex flex-1 justify-center">
      <button
        className={`flex h-[38px] cursor-grab items-center justify-between gap-2 border bg-raised px-3 text-left ${fact && fact.torn > 0 ? 'border-vermilion' : 'border-ink'}`}
        style={{ width: `${fact ? width(fact.members) : 40}%`, minWidth: 168 }}
        draggable
        onDragStart={(e) => e.dataTransfer.setData(LEVEL, String(place))}
        onClick={onToggle}
        onKeyDown={(e) => {
          if (e.altKey && e.key === 'ArrowUp') onMove(-1);
          if (e.altKey && e.key === 'ArrowDown') onMove(1);
          if (e.key === 'Delete') onRemove();
        }}
        aria-expanded={isOpen}
        title={`column ${level.column}${level.key === undefined ? '' : `, key ${[level.key].flat().join(', ')}`}${level.orderBy ? `, ordered by ${level.orderBy}` : ''}. Drag to reorder, or Alt with an arrow`}
      >
        <span className="min-w-0 truncate font-serif font-semibold">{level.name}</span>
        <span className="whitespace-nowrap tabular-nums text-soft">
          {fact ? many(fact.members, 'member') : ''}
        </span>
      </button>
    </span>
  );
}

/** What the rows say of a level. */
export function RungFacts({
  level,
  above,
  fact,
}: {
  level: Level;
  above: Level | undefined;
  fact: LevelFact | undefined;
}) {
  return (
    <span className="w-[150px] text-[12px]">
      {fact && fact.torn > 0 && (
        <span className="block text-vermilion">
          <VerdictMark verdict="broken" size={9} /> {many(fact.torn, 'member')} in several of {above?.name}
        </span>
      )}
      {fact && fact.nulls > 0 && (
        <span className="block text-soft">{many(fact.nulls, 'row')} without: ragged</span>
      )}
      {fact?.average !== undefined && (
        <span className="block text-soft" title={`Most in ${cellText(fact.most!.of)}`}>
          {fact.average.toLocaleString(undefined, { maximumFractionDigits: 1 })} each, at most{' '}
          {count(fact.most!.members)}
        </span>
      )}
      {(!fact || (fact.torn === 0 && fact.nulls === 0 && fact.average === undefined)) && (
        <span className="block truncate text-soft">{level.column}</span>
      )}
    </span>
  );
}

/** Opens, moves and removes a level. */
export function RungTools({
  level,
  isFirst,
  isLast,
  acts: { onToggle, onMove, onRemove },
}: {
  level: Level;
  isFirst: boolean;
  isLast: boolean;
  acts: LevelActs;
}) {
  return (
    <span className="flex">
      <IconButton label={`Column, key and order of ${level.name}`} onClick={onToggle}>
        <SlidersHorizontal size={13} aria-hidden />
      </IconButton>
      <IconButton label={`Move ${level.name} up`} disabled={isFirst} onClick={() => onMove(-1)}>
        <ArrowUp size={13} aria-hidden />
      </IconButton>
      <IconButton label={`Move ${level.name} down`} disabled={isLast} onClick={() => onMove(1)}>
        <ArrowDown size={13} aria-hidden />
      </IconButton>
      <IconButton label={`Remove ${level.name}`} onClick={onRemove}>
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
