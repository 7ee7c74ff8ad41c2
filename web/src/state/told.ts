import { useMemo } from 'react';
import type { Measure, ModelColumn, Perspective } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { useModel } from './model.tsx';

/** What people are told of objects: titles and descriptions, by the names that questions use. */
export interface Told {
  readonly measure: (name: string) => Measure | undefined;
  /** By `table.column`; undefined also for a role's column, which is none of a table. */
  readonly column: (path: string) => ModelColumn | undefined;
}

/** The audience that the address names, if the model has it. */
export const useAudience = (): Perspective | undefined => useModel().audience;

/** Texts of the model; of what an audience sees under the titles that it has for them. */
export function useTold(): Told {
  const { measures, names } = useModel();
  return useMemo(
    () => ({
      measure: (name) => measures.find((m) => sameName(m.name, name)),
      column: (path) => names.path(path)?.column,
    }),
    [measures, names],
  );
}
