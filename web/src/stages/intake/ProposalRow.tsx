import type { DecidedUse, Proposal } from '@crease/core/propose';
import type { Table } from '@crease/core/model';
import { columnPath } from '@crease/core/formula';
import { changedTo, useChoices, useOfText } from './proposalChoices.ts';

const ROLES: readonly Table['role'][] = ['fact', 'dimension', 'bridge', 'staging'];

/** The role of a table, to be changed. */
export function RoleChoice({
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
          <span className="truncate">{columnPath(p.table, column!)}</span>
          <select
            className="field h-[24px]"
            aria-label={`Use of ${columnPath(p.table, column!)}`}
            value={use}
            onChange={(e) => onUse(columnPath(p.table, column!), useOfText(e.target.value))}
          >
            {useChoices(use).map((choice) => (
              <option key={choice}>{choice}</option>
            ))}
          </select>
        </span>
      ) : (
        <label htmlFor={p.id} className="min-w-0 flex-1 cursor-pointer py-[2px]">
          {p.says}
        </label>
      )}
      <span className="w-[52%] text-soft">{p.evidence.join('; ')}</span>
    </div>
  );
}
