import { useMemo } from 'react';
import type { Measure, ModelColumn, Perspective } from '@crease/core/model';
import { sameName, titleIn } from '@crease/core/model';
import { useModel } from './model.tsx';

/** What people are told of objects: titles and descriptions, by the names that questions use. */
export interface Told {
  readonly measure: (name: string) => Measure | undefined;
  /** By `table.column`; undefined also for a role's column, which is none of a table. */
  readonly column: (path: string) => ModelColumn | undefined;
}

/** The audience that the address names, if the model has it. */
export const useAudience = (): Perspective | undefined => useModel().audience;

/** Texts of the model; for the audience that the address names under the titles that it has for them. */
export function useTold(): Told {
  const { measures, names } = useModel();
  const audience = useAudience();
  return useMemo(() => {
    const titled = <T extends { title?: string | undefined }>(
      object: T | undefined,
      part: 'measures' | 'columns',
      name: string,
    ): T | undefined => {
      const title = object && audience && titleIn(audience, part, name);
      return title === undefined ? object : { ...object!, title };
    };
    return {
      measure: (name) =>
        titled(
          measures.find((m) => sameName(m.name, name)),
          'measures',
          name,
        ),
      column: (path) => titled(names.path(path)?.column, 'columns', path),
    };
  }, [measures, names, audience]);
}
