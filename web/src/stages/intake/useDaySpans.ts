import useSWR from 'swr';
import { api } from '@crease/contract';
import type { DayOf } from '@crease/core/stars';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';

/** The first and the last day of a column, ISO 8601. */
export interface DaySpan {
  readonly least: string;
  readonly greatest: string;
}

export const pathOf = ({ table, column }: DayOf): string => `${table}.${column}`;

/** The span of each column of days, by its path; one whose rows cannot be had has none. */
export function useDaySpans(days: readonly DayOf[]): Readonly<Record<string, DaySpan>> {
  const { id, state } = useModel();
  const tables = [...new Set(days.map((d) => d.table))];
  const { data } = useSWR(
    tables.length === 0 ? null : ['day spans', id, state.revision, ...tables],
    async () => {
      const facts = await Promise.all(tables.map((table) => ask(api.questions.columns, { id, table })));
      return Object.fromEntries(
        facts.flatMap((columns, i) =>
          columns.flatMap((c) =>
            c.fault === undefined && typeof c.least === 'string' && typeof c.greatest === 'string'
              ? [
                  [
                    `${tables[i]!}.${c.name}`,
                    { least: c.least.slice(0, 10), greatest: c.greatest.slice(0, 10) },
                  ],
                ]
              : [],
          ),
        ),
      ) as Record<string, DaySpan>;
    },
    { revalidateOnFocus: false },
  );
  return data ?? {};
}
