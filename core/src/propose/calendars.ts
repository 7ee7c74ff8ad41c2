import type { Column } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import type { Proposal } from './proposal.ts';

/** Whether days follow each other so closely that they are those of a calendar. */
export const isCalendarKey = (key: Column): boolean =>
  key.type.kind === 'date' && key.distinct >= 28 && key.domain.size <= key.distinct * 1.5;

/** Dimensions whose key is days that follow each other. */
export function proposeCalendars(model: Model, data: ModelData): Proposal[] {
  return model.tables
    .filter(
      (t) =>
        t.key?.length === 1 &&
        t.role === 'dimension' &&
        isCalendarKey(data.column(t.name, t.key[0]!)) &&
        !(model.calendars ?? []).some((c) => sameName(c.table, t.name)),
    )
    .map((t): Proposal => ({
      id: `calendar:${t.name}`,
      kind: 'calendar',
      table: t.name,
      says: `${t.name} is a calendar`,
      evidence: [`${t.key![0]} holds ${data.column(t.name, t.key![0]!).distinct} days that follow each other`],
      edit: [{ do: 'put-calendar', value: { table: t.name, day: t.key![0]! } }],
    }));
}
