import { useNavigate } from 'react-router';
import type { Model, Table } from '@crease/core/model';
import { freeName, sameName } from '@crease/core/model';
import { Reach } from '@crease/core/relate';
import { useModel } from '../../state/model.tsx';

/** Day columns of facts that refer to nothing, with a way to give them a calendar. */
export function DaysWithout() {
  const { id, model, names, edit } = useModel();
  const navigate = useNavigate();
  const found = daysWithout(model);
  if (found.length === 0) return null;
  const calendar = (model.calendars ?? [])[0];
  const relate = (table: Table, column: string) => {
    // A fact that reaches the calendar already does not get a second way by default.
    const reached = new Reach(names).route(table.name, calendar!.table) !== undefined;
    const name = freeName(`${table.name}_${column}`, model.relationships ?? []);
    const value = {
      name,
      from: { table: table.name, columns: [column] },
      to: { table: calendar!.table, columns: [calendar!.day] },
      ...(reached ? { default: false } : {}),
    };
    void edit(
      [{ do: 'put-relationships', name: null, value }],
      `relate ${table.name}.${column} to ${calendar!.table}`,
    );
  };
  return (
    <section aria-label="Days without a calendar" className="border-b border-rule px-4 py-3">
      <h2 className="mb-1 text-[15px]">Days without a calendar</h2>
      <p className="mb-2 text-soft">These date columns of facts have no calendar.</p>
      <ul>
        {found.map(({ table, column }) => (
          <li key={`${table.name}.${column}`} className="flex items-center gap-3 py-1">
            <span className="flex-1">
              <b>{column}</b> of {table.name}
            </span>
            {calendar ? (
              <button className="btn h-[24px]" onClick={() => relate(table, column)}>
                Relate to {calendar.table}
              </button>
            ) : (
              <button
                className="btn h-[24px]"
                onClick={() =>
                  void navigate(
                    `/m/${id}/intake?view=calendar&of=${encodeURIComponent(`${table.name}.${column}`)}`,
                  )
                }
              >
                Generate a calendar
              </button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function daysWithout(model: Model): { table: Table; column: string }[] {
  const refers = (table: Table, column: string): boolean =>
    (model.relationships ?? []).some(
      (r) => sameName(r.from.table, table.name) && r.from.columns.some((c) => sameName(c, column)),
    );
  return model.tables
    .filter((t) => t.role === 'fact')
    .flatMap((table) =>
      table.columns
        .filter((c) => c.type === 'date' && !c.hidden && !refers(table, c.name))
        .map((c) => ({ table, column: c.name })),
    );
}
