import { applyEdit, EditError } from '@crease/core/edit';
import type { Model, Table } from '@crease/core/model';
import type { DecidedUse, Proposal } from '@crease/core/propose';

/** How uses are named where one of them is chosen: a quantity with the aggregate that it has by default. */
const USES: readonly (readonly [string, DecidedUse])[] = [
  ['key', { use: 'key' }],
  ['reference', { use: 'reference' }],
  ['attribute', { use: 'attribute' }],
  ['quantity, sum', { use: 'quantity', aggregate: 'sum' }],
  ['quantity, avg', { use: 'quantity', aggregate: 'avg' }],
  ['quantity, min', { use: 'quantity', aggregate: 'min' }],
  ['quantity, max', { use: 'quantity', aggregate: 'max' }],
  ['quantity, none', { use: 'quantity', aggregate: 'none' }],
];

/** The name of a use. */
export function textOfUse({ use, aggregate }: DecidedUse): string {
  const found = USES.find(
    ([, u]) => u.use === use && (use !== 'quantity' || u.aggregate === (aggregate ?? 'sum')),
  );
  return found?.[0] ?? `${use ?? 'attribute'}${aggregate ? `, ${aggregate}` : ''}`;
}

/** The use that a name stands for; an attribute for a name that is none. */
export const decidedUse = (text: string): DecidedUse =>
  USES.find(([name]) => name === text)?.[1] ?? { use: 'attribute' };

/** Names to choose from, the present one among them. */
export const choicesOfUse = (present: string): readonly string[] => {
  const names = USES.map(([name]) => name);
  return names.includes(present) ? names : [present, ...names];
};

/** What a proposal of a role or of a use changes to; nothing for other kinds. */
export function changedTo({ kind, edit }: Proposal): {
  role?: Table['role'];
  column?: string;
  use?: string;
} {
  const [first] = edit;
  if (kind === 'role' && first?.do === 'set-table' && first.change.role) return { role: first.change.role };
  if (kind === 'use' && first?.do === 'set-column')
    return { column: first.column, use: textOfUse(first.change) };
  return {};
}

/**
 * The model as it would be with proposals. One that no longer fits is passed over: the model may have
 * changed, by this very draft or in another window, before what is proposed is drawn anew.
 */
export const draftedModel = (model: Model, proposals: readonly Proposal[]): Model =>
  proposals.reduce((drafted, { edit }) => {
    try {
      return applyEdit(drafted, edit);
    } catch (error) {
      if (error instanceof EditError) return drafted;
      throw error;
    }
  }, model);
