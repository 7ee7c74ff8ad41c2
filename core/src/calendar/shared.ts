import type { Hierarchy, Model, Table } from '../model/index.ts';
import { freeName, sameName, splitPath, fileOf } from '../model/index.ts';

export type Calendar = NonNullable<Model['calendars']>[number];

/** A calendar of a model with its table and its hierarchies, as another model can have it. */
interface Parts {
  readonly calendar: Calendar;
  readonly table: Table;
  readonly hierarchies: readonly Hierarchy[];
}

/** Whether a table is a calendar that follows the one of another model. */
export const followedBy = (model: Model, table: string): Calendar['follows'] =>
  (model.calendars ?? []).find((c) => sameName(c.table, table))?.follows;

/**
 * A model with the calendar of another: its table, its hierarchies, its day and fiscal year. A link follows
 * the other's updates, a copy is the model's own from then on. Where the name is taken the table gets another
 * one; so does its file, whose rows are known by its name. Hierarchies with levels of other tables stay
 * behind. Gives nothing where the other model has no such calendar.
 */
export function withCalendarOf(
  model: Model,
  other: Model,
  table: string,
  how: 'link' | 'copy',
): { model: Model; table: Table } | undefined {
  const found = partsOf(other, table);
  if (!found) return undefined;
  const parts = called(found, freeName(found.table.name, model.tables));
  const calendar =
    how === 'link'
      ? { ...parts.calendar, follows: { model: other.name, table: found.table.name } }
      : parts.calendar;
  const own = { ...parts.table, source: freeSource(parts.table, model) };
  return { model: withParts(model, { ...parts, table: own, calendar }), table: own };
}

/**
 * A model of which the calendar is as the one that it follows is now; the same object where it is already. It
 * keeps its name and its file's name here. Gives nothing where the other model has it no more.
 */
export function inStep(model: Model, calendar: Calendar, other: Model): Model | undefined {
  const found = calendar.follows && partsOf(other, calendar.follows.table);
  const before = partsOf(model, calendar.table);
  if (!found || !before) return undefined;
  const parts = called(found, before.table.name);
  const [theirs, own] = [fileOf(parts.table), fileOf(before.table)];
  const source = theirs && own ? { ...theirs, file: own.file } : parts.table.source;
  const now: Parts = {
    ...parts,
    table: { ...parts.table, source },
    calendar: { ...parts.calendar, follows: calendar.follows },
  };
  return isSame(now, before) ? model : withParts(model, now);
}

/**
 * Why an edit is refused that changes a calendar which follows another model's; undefined where it changes
 * none.
 */
export function linkBroken(before: Model, after: Model): string | undefined {
  for (const calendar of before.calendars ?? []) {
    if (!calendar.follows) continue;
    const [was, is] = [partsOf(before, calendar.table), partsOf(after, calendar.table)];
    // Without its table, its name or its link it is linked no more: that may be.
    if (!was || !is?.calendar.follows || isSame(is, was)) continue;
    return `${calendar.table} follows the calendar of ${calendar.follows.model}: change it there, or detach it first`;
  }
  return undefined;
}

function partsOf(model: Model, name: string): Parts | undefined {
  const calendar = (model.calendars ?? []).find((c) => sameName(c.table, name));
  const table = model.tables.find((t) => sameName(t.name, name));
  return (
    calendar &&
    table && {
      calendar,
      table,
      hierarchies: (model.hierarchies ?? []).filter((h) => sameName(h.table, name)),
    }
  );
}

/**
 * The parts with another name for the table. Its own questions and process stay behind, and hierarchies that
 * need other tables.
 */
function called({ calendar, table, hierarchies }: Parts, name: string): Parts {
  const { follows: _, ...own } = calendar;
  const { process: __, questions: ___, ...rest } = table;
  const column = (path: string): string | undefined => {
    if (table.columns.some((c) => sameName(c.name, path))) return path;
    const [home, inner] = splitPath(path) ?? [];
    return home !== undefined && sameName(home, table.name) ? inner : undefined;
  };
  return {
    calendar: { ...own, table: name },
    table: { ...rest, name },
    hierarchies: hierarchies.flatMap((h): Hierarchy[] => {
      const levels = h.levels?.map((level) => ({
        ...level,
        column: column(level.column),
        ...(level.key === undefined
          ? {}
          : { key: typeof level.key === 'string' ? column(level.key) : level.key.map(column) }),
        ...(level.orderBy === undefined ? {} : { orderBy: column(level.orderBy) }),
      }));
      const isWhole = !levels?.some((l) =>
        [
          l.column,
          ...(l.key === undefined ? [] : [l.key].flat()),
          ...('orderBy' in l ? [l.orderBy] : []),
        ].includes(undefined),
      );
      return isWhole
        ? [{ ...h, table: name, ...(levels ? { levels: levels as NonNullable<Hierarchy['levels']> } : {}) }]
        : [];
    }),
  };
}

/** Puts the parts into the places of those of that name, or behind the others. */
function withParts(model: Model, { calendar, table, hierarchies }: Parts): Model {
  const put = <T>(list: readonly T[] | undefined, isIt: (item: T) => boolean, item: T): T[] =>
    list?.some(isIt) ? list.map((old) => (isIt(old) ? item : old)) : [...(list ?? []), item];
  return {
    ...model,
    tables: put(model.tables, (t) => sameName(t.name, table.name), table),
    calendars: put(model.calendars, (c) => sameName(c.table, table.name), calendar),
    hierarchies: [...(model.hierarchies ?? []).filter((h) => !sameName(h.table, table.name)), ...hierarchies],
  };
}

const isSame = (a: Parts, b: Parts): boolean =>
  JSON.stringify(sorted([a.calendar, a.table, [...a.hierarchies]])) ===
  JSON.stringify(sorted([b.calendar, b.table, [...b.hierarchies]]));

/** The same values with the fields of each object in one order. */
function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, v]) => v !== undefined)
      .sort(([x], [y]) => (x < y ? -1 : 1))
      .map(([key, v]) => [key, sorted(v)]),
  );
}

function freeSource(table: Table, model: Model): Table['source'] {
  const source = fileOf(table);
  if (!source) return table.source;
  const { file } = source;
  const isTaken = model.tables.some((t) => sameName(fileOf(t)?.file ?? '', file));
  return isTaken
    ? { ...source, file: `${table.name}${/(\.[a-z]+(\.gz)?)$/i.exec(file)?.[1] ?? ''}` }
    : source;
}
