import type { QueryState } from '@crease/contract';
import { columnPath, withRoles } from '@crease/core/formula';
import type { AskedItem, ByItem, MemberOfCell, Model, Query, QueryFilter } from '@crease/core/model';
import { sameName, splitPath } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { namedMembers } from './laidOut.ts';

/** A row of an answer that is opened: its members, and those of the rows within which it stands. */
export interface OpenedRow {
  readonly items: readonly AskedItem[];
  readonly members: readonly AnswerMember[];
  /** As cells name them: labels may stand twice. */
  readonly named: readonly MemberOfCell[];
}

/** The level or depth below an item; undefined where nothing lies below it. */
export function itemBelow(item: AskedItem, asked: Model): ByItem | undefined {
  if (typeof item !== 'string' && 'formula' in item) return undefined;
  if (typeof item !== 'string' && 'depth' in item)
    return { hierarchy: item.hierarchy, depth: item.depth + 1 };
  const { model } = withRoles(asked);
  for (const h of model.hierarchies ?? []) {
    const levels = h.levels ?? [];
    const path = columnPath(h.table, h.name);
    const at = levels.findIndex((l) =>
      typeof item === 'string'
        ? columnOf(h.table, l.column) === item
        : sameName(item.hierarchy, path) && sameName(item.level, l.name),
    );
    const below = levels[at + 1];
    if (at >= 0 && below) return { hierarchy: path, level: below.name };
  }
  return undefined;
}

const columnOf = (table: string, column: string): string =>
  column.includes('.') ? column : columnPath(table, column);

/** The column that a level shows; undefined for a depth or what is on the spot. */
function shownColumn(item: AskedItem, model: Model): string | undefined {
  if (typeof item === 'string') return item;
  if (!('level' in item)) return undefined;
  const [table, name] = splitPath(item.hierarchy) ?? [];
  const hierarchy = withRoles(model).model.hierarchies?.find(
    (h) => sameName(h.table, table ?? '') && sameName(h.name, name ?? ''),
  );
  const level = hierarchy?.levels?.find((l) => sameName(l.name, item.level));
  return hierarchy && level && columnOf(hierarchy.table, level.column);
}

/**
 * The question whose answer has the rows below an opened one: of its members, by one more item. A `top`, a
 * condition on measures and a limit are about the rows that are opened, and not about those below.
 */
export function questionBelow(query: Query, row: OpenedRow, next: AskedItem, model: Model): Query {
  const filters = (query.filters ?? []).filter((f) => !('top' in f) && !('having' in f));
  const narrowed = row.items.flatMap((item, i): QueryFilter[] => {
    const column = shownColumn(item, model);
    const member = row.members[i]!;
    return column === undefined || (typeof member === 'object' && member !== null && 'others' in member)
      ? []
      : [{ column, in: [member] }];
  });
  return {
    measures: query.measures,
    by: [...row.items, next],
    ...(query.across?.length ? { across: query.across, subtotals: true } : {}),
    filters: [...filters, ...narrowed],
    unmatched: 'apart',
    ...(query.asOf === undefined ? {} : { asOf: query.asOf }),
    ...(query.empty === undefined ? {} : { empty: query.empty }),
  };
}

/** Places of the rows of an answer that stand below an opened row. */
export function rowsBelow(answer: QueryState, row: OpenedRow): number[] {
  const width = row.items.length;
  const wanted = JSON.stringify(row.named);
  return answer.rows.flatMap((values, at) =>
    JSON.stringify(namedMembers(values.slice(0, width), answer.keys?.[at]?.slice(0, width))) === wanted
      ? [at]
      : [],
  );
}

/** Whether a member has rows that can be told apart below it: all others have none. */
export const mayOpen = (member: AnswerMember | undefined): boolean =>
  member !== undefined && !(typeof member === 'object' && member !== null && 'others' in member);

/** A question one step further down from a row, and the item that it goes to. */
export interface DrilledDown {
  readonly item: ByItem;
  /** The place of the member that is gone down from. */
  readonly at: number;
  readonly query: Query;
}

/**
 * The question that goes down from the last member of a row below which something lies: of that member alone
 * by the level below, or of all by the depth below beside those that the question has.
 */
export function drilledDown(
  query: Query,
  row: readonly AnswerMember[],
  model: Model,
): DrilledDown | undefined {
  const by = query.by ?? [];
  const isAsked = (item: AskedItem) => by.some((other) => JSON.stringify(other) === JSON.stringify(item));
  for (let at = by.length - 1; at >= 0; at--) {
    const [asked, member] = [by[at]!, row[at]!];
    const item = itemBelow(asked, model);
    if (!item || isAsked(item) || member === null || typeof member === 'object') continue;
    if (typeof item !== 'string' && 'depth' in item)
      return {
        item,
        at,
        query: { ...query, by: [...by.slice(0, at + 1), item, ...by.slice(at + 1)], sort: [] },
      };
    const column = shownColumn(asked, model)!;
    return {
      item,
      at,
      query: {
        ...query,
        by: [...by.slice(0, at), item, ...by.slice(at + 1)],
        filters: [...(query.filters ?? []), { column, in: [member] }],
        sort: [],
      },
    };
  }
  return undefined;
}
