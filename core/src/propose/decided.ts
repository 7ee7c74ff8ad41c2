import type { Edit } from '../edit/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { ModelNames } from '../model/index.ts';
import { columnPath } from '../formula/index.ts';
import type { Proposal } from './proposal.ts';

/** A use of a column, of a quantity with the aggregate that it has by default. */
export type DecidedUse = Pick<ModelColumn, 'use' | 'aggregate'>;

/** What a person has decided of a draft: it goes before what is found, and what rests on it follows. */
export interface Decided {
  /** Roles by table. */
  readonly roles?: Readonly<Record<string, Table['role']>> | undefined;
  /** Uses by column, `table.column`. */
  readonly uses?: Readonly<Record<string, DecidedUse>> | undefined;
  /** Ids of proposals that are left out. */
  readonly left?: readonly string[] | undefined;
}

const BECAUSE = 'chosen here';

/** Proposals of roles with those that were decided in their place; tables that are gone are passed over. */
export function withRoles(
  found: readonly Proposal[],
  model: Model,
  roles: Decided['roles'] = {},
): Proposal[] {
  const names = new ModelNames(model);
  return Object.entries(roles).reduce<Proposal[]>(
    (all, [name, role]) => {
      const table = names.table(name);
      if (!table) return all;
      const id = `role:${table.name}`;
      const before = all.find((p) => p.id === id);
      const edit: Edit = [{ do: 'set-table', table: table.name, change: { role } }];
      const says = `${table.name} is a ${role} table`;
      return before?.says === says
        ? all
        : replaced(all, { id, kind: 'role', table: table.name, says, evidence: [BECAUSE], edit });
    },
    [...found],
  );
}

/** Proposals of uses with those that were decided in their place. */
export function withUses(found: readonly Proposal[], model: Model, uses: Decided['uses'] = {}): Proposal[] {
  const names = new ModelNames(model);
  return Object.entries(uses).reduce<Proposal[]>(
    (all, [path, use]) => {
      const at = names.path(path);
      if (!at) return all;
      const proposal = useProposal(at.table, at.column, use, BECAUSE);
      return all.find((p) => p.id === proposal.id)?.says === proposal.says ? all : replaced(all, proposal);
    },
    [...found],
  );
}

const replaced = (all: readonly Proposal[], proposal: Proposal): Proposal[] =>
  all.some((p) => p.id === proposal.id)
    ? all.map((p) => (p.id === proposal.id ? proposal : p))
    : [...all, proposal];

/** The proposal of a column's use. */
export function useProposal(
  table: Table,
  column: ModelColumn,
  { use, aggregate }: DecidedUse,
  reason: string,
): Proposal {
  const how = aggregate === undefined ? '' : `, by default ${aggregate}`;
  return {
    id: `use:${table.name}.${column.name}`,
    kind: 'use',
    table: table.name,
    says: `${columnPath(table.name, column.name)} is used as ${use === 'attribute' ? 'an attribute' : `a ${use}`}${how}`,
    evidence: [reason],
    edit: [
      {
        do: 'set-column',
        table: table.name,
        column: column.name,
        change: { use, ...(aggregate ? { aggregate } : {}) },
      },
    ],
  };
}
