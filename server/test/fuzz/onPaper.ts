import type { Model } from '@crease/core/model';
import type { World } from './world.ts';

/**
 * The world with its two roles written out by hand as tables of their own, rows and all: what a trial by a
 * role must come to. `loan_due` is the calendar as "Due on"; `stock_branch` is the branch as "Kept at", with
 * the districts of those branches.
 */
export function onPaper({ model, rows }: World): World {
  const copy = (
    name: string,
    as: string,
    formula: (text: string) => string | undefined = () => undefined,
  ): Model['tables'] =>
    model.tables
      .filter((t) => t.name === name)
      .map((t) => ({
        ...t,
        name: as,
        columns: t.columns.flatMap((c) => {
          if (c.formula === undefined) return [c];
          const own = formula(c.formula);
          return own === undefined ? [] : [{ ...c, formula: own }];
        }),
      }));
  const district = 'Kept at district';
  const to = (table: string, column: string) => ({ table, columns: [column] });
  return {
    model: {
      ...model,
      tables: [
        ...model.tables,
        ...copy('calendar', 'Due on'),
        ...copy('branch', 'Kept at', (text) => text.replaceAll('district.', `"${district}".`)),
        ...copy('district', district),
      ],
      relationships: [
        ...(model.relationships ?? []),
        { name: 'due_on', from: to('loan', 'due'), to: to('Due on', 'day') },
        { name: 'kept_at', from: to('stock', 'branch_id'), to: to('Kept at', 'id') },
        { name: 'kept_at_district', from: to('Kept at', 'district_id'), to: to(district, 'id') },
      ],
    },
    rows: {
      ...rows,
      'Due on': rows.calendar ?? [],
      'Kept at': rows.branch ?? [],
      [district]: rows.district ?? [],
    },
  };
}
