import { useMemo } from 'react';
import { columnPath } from '@crease/core/formula';
import { api } from '@crease/contract';
import type { Hierarchy } from '@crease/core/model';
import { Reach } from '@crease/core/relate';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';

export type Level = NonNullable<Hierarchy['levels']>[number];

/** A hierarchy as it is asked about; one that is only tried may have no name yet. */
export const askedOf = (h: Hierarchy): string => JSON.stringify(h.name === '' ? { ...h, name: 'tried' } : h);

export const pathOf = (h: Hierarchy): string => `${h.table}.${h.name}`;

/** What the rows say of a hierarchy as it stands on the screen, stored or only tried. */
export function useFacts(hierarchy: Hierarchy) {
  const { id, state } = useModel();
  const key = askedOf(hierarchy);
  return useAnswer(
    api.questions.levels,
    { id },
    { body: { hierarchy: JSON.parse(key) as Hierarchy }, of: state.revision.id, keepPreviousData: true },
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
  const { names } = useModel();
  return useMemo(() => {
    return [...new Reach(names).lookups(table).keys()]
      .flatMap((name) => names.table(name) ?? [])
      .flatMap((t) =>
        t.columns.map((c) => ({
          path: t.name === table ? c.name : columnPath(t.name, c.name),
          table: t.name,
          type: c.type,
        })),
      );
  }, [names, table]);
}
