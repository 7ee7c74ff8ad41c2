import { useState } from 'react';
import type { ReactNode } from 'react';
import type { DecidedUse, Proposal } from '@crease/core/propose';
import type { Model, Table } from '@crease/core/model';
import { columnPath } from '@crease/core/formula';
import { many } from '../../parts/text.ts';
import { changedTo, textOfUse, choicesOfUse, decidedUse } from './proposalChoices.ts';

const ROLES: readonly Table['role'][] = ['fact', 'dimension', 'bridge', 'staging'];

/** The role of a table, to be changed. */
function RoleChoice({
  table,
  role,
  onChange,
}: {
  table: string;
  role: Table['role'];
  onChange: (table: string, role: Table['role']) => void;
}) {
  return (
    <select
      className="field h-[24px]"
      aria-label={`Role of ${table}`}
      value={role}
      onChange={(e) => onChange(table, e.target.value as Table['role'])}
    >
      {ROLES.map((r) => (
        <option key={r}>{r}</option>
      ))}
    </select>
  );
}

/** The use of a column, by its name, to be changed. */
function UseChoice({
  path,
  use,
  onChange,
}: {
  path: string;
  use: string;
  onChange: (path: string, use: DecidedUse) => void;
}) {
  return (
    <select
      className="field h-[24px] w-[136px] shrink-0"
      aria-label={`Use of ${path}`}
      value={use}
      onChange={(e) => onChange(path, decidedUse(e.target.value))}
    >
      {choicesOfUse(use).map((choice) => (
        <option key={choice}>{choice}</option>
      ))}
    </select>
  );
}

/** Tables whose role the draft leaves as it is, to be changed all the same. */
export function KeptRoles({
  drafted,
  proposals,
  onRole,
}: {
  drafted: Model;
  proposals: readonly Proposal[];
  onRole: (table: string, role: Table['role']) => void;
}) {
  const kept = drafted.tables.filter((t) => !proposals.some((p) => p.table === t.name));
  return (
    <Kept what="table" keeps="role" count={kept.length}>
      {() =>
        kept.map((t) => (
          <li key={t.name} className="flex items-center gap-2 py-[3px]">
            <span className="w-[220px] truncate">{t.name}</span>
            <RoleChoice table={t.name} role={t.role} onChange={onRole} />
          </li>
        ))
      }
    </Kept>
  );
}

/** Columns whose use the draft leaves as it is, to be changed all the same. */
export function KeptUses({
  drafted,
  proposals,
  onUse,
}: {
  drafted: Model;
  proposals: readonly Proposal[];
  onUse: (path: string, use: DecidedUse) => void;
}) {
  const ids = new Set(proposals.map((p) => p.id));
  const kept = drafted.tables.flatMap((t) =>
    t.columns.filter((c) => !ids.has(`use:${t.name}.${c.name}`)).map((column) => ({ table: t.name, column })),
  );
  return (
    <Kept what="column" keeps="use" count={kept.length}>
      {() =>
        kept.map(({ table, column }) => {
          const path = columnPath(table, column.name);
          return (
            <li key={path} className="flex items-center gap-2 py-[3px]">
              <span className="w-[220px] truncate" title={path}>
                {path}
              </span>
              <UseChoice path={path} use={textOfUse(column)} onChange={onUse} />
            </li>
          );
        })
      }
    </Kept>
  );
}

/** A list that opens: what the draft does not change. */
function Kept({
  what,
  keeps,
  count,
  children,
}: {
  what: string;
  keeps: string;
  count: number;
  children: () => ReactNode;
}) {
  const [open, setOpen] = useState(false);
  if (count === 0) return null;
  return (
    <details className="border-b border-rule px-4 py-1" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="cursor-pointer text-soft">
        {many(count, what)} {count === 1 ? 'keeps its' : 'keep their'} {keeps}
      </summary>
      {open && <ul className="columns-2 pt-1">{children()}</ul>}
    </details>
  );
}

/** A part of a draft: what it says, or what it says as a choice, and the evidence. */
export function ProposalRow({
  proposal: p,
  left,
  onTake,
  onRole,
  onUse,
}: {
  proposal: Proposal;
  left: boolean;
  onTake: (take: boolean) => void;
  onRole: (table: string, role: Table['role']) => void;
  onUse: (path: string, use: DecidedUse) => void;
}) {
  const { role, column, use } = changedTo(p);
  return (
    <div className={`flex items-center gap-3 border-b border-rule px-4 py-[3px] ${left ? 'opacity-45' : ''}`}>
      <input
        type="checkbox"
        checked={!left}
        onChange={(e) => onTake(e.target.checked)}
        aria-label={p.says}
        id={p.id}
      />
      {role !== undefined ? (
        <span className="flex min-w-0 flex-1 items-center gap-2">
          <b className="truncate font-normal">{p.table}</b>
          <RoleChoice table={p.table} role={role} onChange={onRole} />
        </span>
      ) : use !== undefined ? (
        <span className="flex min-w-0 flex-1 items-center gap-2">
          <span className="min-w-0 flex-1 truncate" title={columnPath(p.table, column!)}>
            {columnPath(p.table, column!)}
          </span>
          <UseChoice path={columnPath(p.table, column!)} use={use} onChange={onUse} />
        </span>
      ) : (
        <label htmlFor={p.id} className="min-w-0 flex-1 cursor-pointer py-[2px]">
          {p.says}
        </label>
      )}
      <span className="w-[48%] text-soft">{p.evidence.join('; ')}</span>
    </div>
  );
}
