import type { Model, Relationship } from '@crease/core/model';
import { sameName } from '@crease/core/model';

/** Relationships of some tables that lead to a table which another one of theirs leads to as well. */
export function waysOf(model: Model, bases: readonly string[]): Relationship[] {
  const own = (model.relationships ?? []).filter((r) => bases.some((base) => sameName(base, r.from.table)));
  return own.filter((r) =>
    own.some(
      (other) =>
        other !== r && sameName(other.from.table, r.from.table) && sameName(other.to.table, r.to.table),
    ),
  );
}

/** Relationships by which some tables refer to a calendar of the model. */
export const calendarWaysOf = (model: Model, bases: readonly string[]): Relationship[] =>
  (model.relationships ?? []).filter(
    (r) =>
      bases.some((base) => sameName(base, r.from.table)) &&
      (model.calendars ?? []).some((c) => sameName(c.table, r.to.table)),
  );
