import type { Model, Table } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import { profiledTables, tableBytes } from '../../storage/index.ts';
import { bytesText } from '../../values/index.ts';
import type { Claim, ClaimKind, Judgement } from '../claim.ts';
import { claimOf } from '../claim.ts';

export const budgetKept: ClaimKind = {
  kind: 'budget-kept',
  weight: 'warns',
  subject: 'table, or `model`',
  documentation: 'A table, or the whole model, takes more bytes, held, than the budget that it is given.',
  example:
    '`budget-kept:loan`: `loan` takes at most 200 MB; a text that is nearly unique breaks it. `budget-kept:model` is that of the whole model.',
  list: ({ model }) => [
    ...profiledTables(model)
      .filter((t) => t.budget)
      .map((t) => budgetClaim(model, t.name, t.budget!.bytes, [t], { table: t.name })),
    ...(model.budget ? [budgetClaim(model, 'model', model.budget.bytes, profiledTables(model), {})] : []),
  ],
};

function budgetClaim(
  model: Model,
  subject: string,
  budget: number,
  tables: readonly Table[],
  ref: { table?: string },
): Claim {
  const name = ref.table ?? 'the model';
  return claimOf(budgetKept, subject, `${name} takes at most ${bytesText(budget)}`, {
    ref,
    about: ref.table === undefined ? [] : [{ table: ref.table }],
    tables: tables.map((t) => t.name),
    columns: tables.flatMap((t) => t.columns.map((c) => ({ table: t.name, column: c.name }))),
    // What leads from table to table, and levels, weigh as well.
    parts: [budget, model.relationships, model.hierarchies],
    // A derived column weighs the same whichever partner its lookups meet.
    takesAnyPartner: true,
    judge: (data) => judgeBudget(data, name, budget, tables),
    found: ({ notes }) => notes?.[0] ?? `${name} takes more than ${bytesText(budget)}`,
  });
}

function judgeBudget(data: ModelData, name: string, budget: number, tables: readonly Table[]): Judgement {
  const bytes = tables.reduce((sum, t) => sum + tableBytes(data, t), 0);
  const isOver = bytes > budget;
  return {
    verdict: isOver ? 'broken' : 'holds',
    evidence: {
      checked: 1,
      against: isOver ? 1 : 0,
      notes: [`${name} takes ${bytesText(bytes)} of ${bytesText(budget)}`],
    },
  };
}
