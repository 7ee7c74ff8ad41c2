import { useMemo } from 'react';
import useSWR from 'swr';
import type { LevelFacts } from '@crease/contract';
import type { Hierarchy } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { send } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { columnPath } from '../trial/attributes.ts';

export type Level = NonNullable<Hierarchy['levels']>[number];

/** A hierarchy as it is asked about; one that is only tried may have no name yet. */
export const askedOf = (h: Hierarchy): string => JSON.stringify(h.name === '' ? { ...h, name: 'tried' } : h);

export const pathOf = (h: Hierarchy): string => `${h.table}.${h.name}`;

/** What the rows say of a hierarchy as it stands on the screen, stored or only tried. */
export function useFacts(hierarchy: Hierarchy) {
  const { id, state } = useModel();
  const key = askedOf(hierarchy);
  return useSWR<LevelFacts, Error>(
    ['levels', id, state.revision.id, key],
    () => send<LevelFacts>(`/models/${id}/levels`, { hierarchy: JSON.parse(key) as Hierarchy }),
    { revalidateOnFocus: false, keepPreviousData: true },
  );
}

export interface LevelColumn {
  /** As a hierarchy of the table writes it. */
  readonly path: string;
  readonly table: string;
  readonly type: string;
}

/** Columns that a level may show: of the table, and of what it looks up. */
export function useLevelColumns(table: string): LevelColumn[] {
  const { model } = useModel();
  return useMemo(() => {
    const reached = new Set([table]);
    for (let grown = true; grown;) {
      grown = false;
      for (const r of model.relationships ?? []) {
        const follows = r.default !== false && ['many-to-one', 'one-to-one'].includes(r.cardinality ?? 'many-to-one');
        if (follows && reached.has(r.from.table) && !reached.has(r.to.table)) {
          reached.add(r.to.table);
          grown = true;
        }
      }
    }
    return [...reached]
      .flatMap((name) => model.tables.find((t) => sameName(t.name, name)) ?? [])
      .flatMap((t) =>
        t.columns.map((c) => ({ path: t.name === table ? c.name : columnPath(t.name, c.name), table: t.name, type: c.type })),
      );
  }, [model, table]);
}

/** A name for a level that reads well and is free. */
export function levelName(path: string, table: string, taken: readonly string[]): string {
  const parts = path.replaceAll('"', '').split('.');
  const column = parts.at(-1)!;
  const plain = /^(name|label|title)$/i.test(column) ? (parts.length > 1 ? parts[0]! : table) : column;
  const words = plain.replaceAll('_', ' ');
  const name = words.charAt(0).toUpperCase() + words.slice(1);
  return taken.some((t) => sameName(t, name)) ? path : name;
}
