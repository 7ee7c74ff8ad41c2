import { useRef } from 'react';
import { api } from '@crease/contract';
import type { RecipeState, UploadState } from '@crease/contract';
import type { Table } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import type { Arrival } from './arrival.ts';
import {
  arrivingColumns,
  byRecipe,
  correctionsOf,
  isReadOtherwise,
  saidOf,
  typedAsBefore,
} from './arrival.ts';

/** Looks at a file as it is corrected; `existing` finds the table that it goes into. */
export function usePreviews(
  change: (key: string, next: (a: Arrival) => Arrival) => void,
  existing: (name: string) => Table | undefined,
) {
  /** Previews are asked for as fast as one types: only the last answer counts. */
  const asked = useRef(new Map<string, number>());
  const look = async (arrival: Arrival, upload: UploadState, by?: RecipeState): Promise<void> => {
    const { key } = arrival;
    const turn = (asked.current.get(key) ?? 0) + 1;
    asked.current.set(key, turn);
    const { preview } = await ask(api.intake.preview, { upload: upload.id }, correctionsOf(arrival));
    if (asked.current.get(key) !== turn) return;
    const had = existing(arrival.name);
    if (by)
      return look(
        byRecipe({ ...arrival, columns: arrivingColumns(preview, [], had), state: 'ready' }, by),
        upload,
      );
    // A table that is loaded again is read as the model says, however its new file happens to look, or is
    // laid out.
    if (had) {
      const typed = typedAsBefore(had, preview, arrival.columns);
      if (isReadOtherwise(typed, arrival.columns))
        return look({ ...arrival, state: 'ready', columns: typed }, upload);
    }
    change(key, (a) => ({
      ...a,
      upload,
      preview,
      state: 'ready',
      ...saidOf(arrival),
      columns: arrivingColumns(preview, arrival.columns, existing(a.name)),
    }));
  };
  return look;
}
