import { useMemo, useState } from 'react';
import { ChartColumn, Code, Sheet } from 'lucide-react';
import type { Query, Trial } from '@crease/core/model';
import { DocumentError, readCells, readQuery } from '@crease/core/model';
import { useAddress } from '../../state/address.ts';
import { useModel } from '../../state/model.tsx';
import { useAudience } from '../../state/told.ts';
import { attributesOf, defaultAttribute } from './attributes.ts';
import type { ChartView } from './chart/forms.ts';
import { openedView, readView, writeView } from './chart/forms.ts';
import type { AskedRows } from './RowsView.tsx';
import type { BesideOf } from './useBeside.ts';

/** What an answer can be seen as; the first is shown where the address names none. */
export const VIEWS = [
  { name: 'table', title: 'Table', Icon: Sheet },
  { name: 'chart', title: 'Chart', Icon: ChartColumn },
  { name: 'sql', title: 'SQL', Icon: Code },
] as const;

/** One of them. */
export type View = (typeof VIEWS)[number];

/** What the address of a trial says, and ways to change it. */
export type TrialAddress = ReturnType<typeof useTrialAddress>;

/** The query of the address, or what is wrong with it. */
function queryOf(text: string | null): { query?: Query; fault?: string } {
  if (text === null) return {};
  try {
    return { query: readQuery(text) };
  } catch (error) {
    if (error instanceof DocumentError) return { fault: error.message };
    throw error;
  }
}

/** The rows that the address asks for, or what is wrong with them. */
function rowsOf(text: string | null): { rows?: AskedRows; fault?: string } {
  if (text === null) return {};
  try {
    const { cells, query, listing, columns } = JSON.parse(text) as Record<string, unknown>;
    return {
      rows: {
        cells: readCells(JSON.stringify(cells)),
        ...(query === undefined ? {} : { query: readQuery(JSON.stringify(query)) }),
        ...(typeof listing === 'string' ? { listing } : {}),
        ...(Array.isArray(columns) ? { columns: columns.map(String) } : {}),
      },
    };
  } catch (error) {
    return { fault: (error as Error).message };
  }
}

/** The revision that the answer beside is of; undefined for the newest. */
function besideOf(params: URLSearchParams): BesideOf | undefined {
  const revision = Number(params.get('revision'));
  return Number.isInteger(revision) && revision > 0
    ? { revision, rows: params.get('then') === '1' ? 'then' : 'now' }
    : undefined;
}

/** All that a trial shows stands in the address: the question, how its answer is seen, and rows behind it. */
export function useTrialAddress() {
  const { whole: model, measures: known } = useModel();
  const [params, change] = useAddress();
  const perspective = useAudience();
  const first = useMemo((): Query => {
    const measures = known.filter((m) => !m.hidden);
    // An audience begins with what it sees.
    const seen = perspective ? attributesOf(model, perspective)[0]?.item : undefined;
    const by = perspective ? seen : defaultAttribute(model, measures[0]?.table);
    return {
      by: by === undefined ? [] : [by],
      measures: measures.slice(0, 1).map((m) => m.name),
      filters: [],
    };
  }, [model, known, perspective]);
  const [asked, askedRows] = [params.get('q'), params.get('rows')];
  const address = useMemo(() => queryOf(asked), [asked]);
  // An address takes its time to change: what is asked meanwhile is asked of the question before it is there.
  const [ahead, setAhead] = useState<{ readonly of: string | null; readonly query: Query }>();
  if (ahead && ahead.of !== asked) setAhead(undefined);
  const shown = ahead?.of === asked ? ahead.query : undefined;
  const rows = useMemo(() => rowsOf(askedRows), [askedRows]);
  const set = (values: Record<string, string | undefined>) =>
    change((next) => {
      for (const [key, value] of Object.entries(values)) {
        if (value === undefined || value === '') next.delete(key);
        else next.set(key, value);
      }
    });
  return {
    query: shown ?? address.query ?? first,
    queryFault: address.fault,
    view: VIEWS.find((v) => v.name === params.get('view')) ?? VIEWS[0],
    chart: readView(params),
    rows: rows.rows,
    rowsFault: rows.fault,
    beside: params.get('beside'),
    besideOf: besideOf(params),
    set,
    ask: (query: Query) => {
      const text = JSON.stringify(query);
      if (text !== asked) setAhead({ of: asked, query });
      set({ q: text, rows: undefined });
    },
    askRows: (asked: AskedRows | undefined) => set({ rows: asked && JSON.stringify(asked) }),
    draw: (view: ChartView) => change((next) => writeView(next, view)),
    open: ({ query, view = {} }: Trial) =>
      change((next) => {
        next.set('q', JSON.stringify(query));
        next.delete('rows');
        if (view.as === undefined || view.as === 'table') next.delete('view');
        else next.set('view', view.as);
        writeView(next, openedView(view));
      }),
  };
}
