import { useMemo } from 'react';
import type { Diagram, Model } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useParam } from '../../state/selection.ts';
import type { Detail, Positions } from '../../parts/diagram/layout.ts';
import { neighboursOf, partOf } from '../../parts/diagram/layout.ts';

/** The name under which the places of cards on the picture of all tables are kept. */
export const ALL = 'All tables';

export interface OpenDiagram {
  /** Undefined for the picture of all tables that nobody has touched. */
  readonly diagram: Diagram | undefined;
  readonly name: string;
  readonly isAll: boolean;
  readonly named: readonly Diagram[];
  readonly part: Model;
  readonly positions: Positions;
  readonly detail: Detail;
  open(name: string): void;
  move(table: string, x: number, y: number): Promise<unknown>;
  setDetail(detail: Detail): void;
  add(tables: readonly string[]): void;
  leaveOut(table: string): void;
  /** Forgets the places that were chosen. */
  tidy(): void;
  create(name: string, tables: readonly string[]): Promise<void>;
  rename(name: string): void;
  remove(): void;
}

/** The diagram that is shown, and what can be done with it; each is an edit of the model. */
export function useDiagram(): OpenDiagram {
  const { model, edit } = useModel();
  const [asked, setAsked] = useParam('diagram');
  return useMemo(() => {
    const named = (model.diagrams ?? []).filter((d) => !d.all);
    const found = asked === undefined ? undefined : named.find((d) => sameName(d.name, asked));
    const diagram = found ?? (model.diagrams ?? []).find((d) => d.all);
    const isAll = found === undefined;
    const name = found?.name ?? ALL;
    const places = (diagram?.tables ?? []).filter((t) => t.x !== undefined && t.y !== undefined);
    const put = (next: Diagram, says: string) =>
      edit([{ do: 'put-diagrams', name: diagram ? diagram.name : null, value: { ...next } }], says);
    const base: Diagram = diagram ?? { name: ALL, all: true, tables: [] };
    return {
      diagram,
      name,
      isAll,
      named,
      part: isAll
        ? model
        : partOf(
            model,
            diagram!.tables.map((t) => t.table),
          ),
      positions: new Map(places.map((t) => [t.table.toLowerCase(), { x: t.x!, y: t.y! }])),
      detail: diagram?.detail ?? 'keys',
      open: (next) => setAsked(next === ALL ? undefined : next),
      move: (table, x, y) => {
        const others = base.tables.filter((t) => !sameName(t.table, table));
        return put({ ...base, tables: [...others, { table, x, y }] }, `move ${table} on ${name}`);
      },
      setDetail: (detail) =>
        void put({ ...base, detail }, `show ${detail === 'keys' ? 'keys' : 'all columns'} on ${name}`),
      add: (tables) => {
        const fresh = tables.filter((t) => !base.tables.some((b) => sameName(b.table, t)));
        if (fresh.length > 0)
          void put(
            { ...base, tables: [...base.tables, ...fresh.map((table) => ({ table }))] },
            `show ${fresh.join(', ')} on ${name}`,
          );
      },
      leaveOut: (table) =>
        void put(
          { ...base, tables: base.tables.filter((t) => !sameName(t.table, table)) },
          `remove ${table} from ${name}`,
        ),
      tidy: () =>
        void put(
          { ...base, tables: isAll ? [] : base.tables.map(({ table }) => ({ table })) },
          `reset the layout of ${name}`,
        ),
      create: async (next, tables) => {
        const value = { name: next, tables: tables.map((table) => ({ table })) };
        if (await edit([{ do: 'put-diagrams', name: null, value }], `add the diagram ${next}`))
          setAsked(next);
      },
      rename: (next) =>
        void put({ ...base, name: next }, `rename the diagram ${name} to ${next}`).then((done) => {
          if (done) setAsked(next);
        }),
      remove: () => {
        void edit([{ do: 'remove-diagrams', name }], `remove the diagram ${name}`).then((done) => {
          if (done) setAsked(undefined);
        });
      },
    };
  }, [model, asked, setAsked, edit]);
}

/** What a new diagram begins with: a fact with all that it looks up, else a table with its neighbours. */
export function firstTables(model: Model, table: string | undefined): string[] {
  const start =
    model.tables.find((t) => t.name === table) ??
    model.tables.find((t) => t.role === 'fact') ??
    model.tables[0];
  return start ? [start.name, ...neighboursOf(model, start.name)] : [];
}
