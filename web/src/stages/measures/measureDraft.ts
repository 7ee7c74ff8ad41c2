import type { Measure } from '@crease/core/model';

/** What is typed of a measure, and what it was when that began. */
export interface MeasureDraft {
  readonly measure: Measure;
  /** As it was known last; undefined for a new one. */
  readonly known: Measure | undefined;
  /** As it was saved from here last: its coming back is nobody else's change. */
  readonly saved?: Measure | undefined;
  /** Somebody else has changed the measure since, and what is typed here is not of that. */
  readonly isBehind: boolean;
}

const NOTHING: Measure = { name: '', formula: '' };

export const draftOf = (measure: Measure | undefined): MeasureDraft => ({
  measure: measure ?? NOTHING,
  known: measure,
  isBehind: false,
});

/** Whether two measures say the same; the order of their parts, and parts without a value, do not count. */
export const sameMeasure = (a: Measure | undefined, b: Measure | undefined): boolean =>
  inOrder(a) === inOrder(b);

const inOrder = (measure: Measure | undefined): string | undefined =>
  JSON.stringify(measure, (_, value: unknown) =>
    value !== null && typeof value === 'object' && !Array.isArray(value)
      ? Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)))
      : value,
  );

export const isTouched = ({ measure, known }: MeasureDraft): boolean =>
  !sameMeasure(measure, known ?? NOTHING);

/**
 * The draft once the model has another measure in its place: what nobody has typed into follows, as does what
 * was saved from here; what is typed stays, and is then behind.
 */
export function withNewest(draft: MeasureDraft, newest: Measure | undefined): MeasureDraft {
  if (newest === undefined || sameMeasure(newest, draft.known)) return { ...draft, known: newest };
  if (!isTouched(draft) || sameMeasure(newest, draft.saved)) return draftOf(newest);
  return { ...draft, known: newest, isBehind: true };
}
