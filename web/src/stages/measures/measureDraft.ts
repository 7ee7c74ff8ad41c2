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
export const sameMeasure = (a: Measure | undefined, b: Measure | undefined): boolean => sameValue(a, b);

const sameValue = (a: unknown, b: unknown): boolean => inOrder(a) === inOrder(b);

const inOrder = (whole: unknown): string | undefined =>
  JSON.stringify(whole, (_, value: unknown) =>
    value !== null && typeof value === 'object' && !Array.isArray(value)
      ? Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)))
      : value,
  );

export const isTouched = ({ measure, known }: MeasureDraft): boolean =>
  !sameMeasure(measure, known ?? NOTHING);

/**
 * The draft once the model has another measure in its place. What was saved from here is taken as it is.
 * Else each part that nobody has typed into follows, and what is typed stays: it is behind where that part
 * was changed too.
 */
export function withNewest(draft: MeasureDraft, newest: Measure | undefined): MeasureDraft {
  if (newest === undefined) return { ...draft, known: newest };
  if (sameMeasure(newest, draft.saved)) return draftOf(newest);
  const [typed, known, now] = [draft.measure, draft.known ?? NOTHING, newest] as Record<string, unknown>[];
  const parts = [...new Set([typed, known, now].flatMap((one) => Object.keys(one!)))];
  const isTyped = (part: string) => !sameValue(typed![part], known![part]);
  const merged = Object.fromEntries(parts.map((part) => [part, (isTyped(part) ? typed : now)![part]]));
  return {
    ...draft,
    measure: merged as unknown as Measure,
    known: newest,
    isBehind: draft.isBehind || parts.some((part) => isTyped(part) && !sameValue(now![part], known![part])),
  };
}
