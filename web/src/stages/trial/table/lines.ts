import type { QueryState } from '@crease/contract';
import type { AskedItem, MemberOfCell, Query } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { namedMembers } from './laidOut.ts';
import type { OpenedRow } from './drill.ts';
import { rowsBelow } from './drill.ts';

/** What is below an opened row: the item that it is opened by, and its answer once it is there. */
export interface Below {
  readonly item: AskedItem;
  readonly query: Query;
  readonly answer?: QueryState;
  readonly fault?: string;
}

/** A line of the table. */
export type Line =
  | {
      readonly kind: 'row';
      /** Of the answer that the row is of, the place. */
      readonly at: number;
      /** The question and answer below, for a row that stands below another. */
      readonly of?: { readonly query: Query; readonly answer: QueryState };
      readonly row: OpenedRow;
      /** How many opened rows it stands below. */
      readonly depth: number;
      readonly below?: Below;
    }
  | {
      readonly kind: 'subtotal';
      /** Members of the first items of `by`. */
      readonly members: readonly AnswerMember[];
      readonly named: readonly MemberOfCell[];
      readonly values: readonly AnswerMember[];
    }
  | { readonly kind: 'note'; readonly text: string; readonly depth: number };

/** The name of an opened row among all: unlike another's, also where labels stand twice. */
export const keyOfRow = ({ items, named }: OpenedRow): string => JSON.stringify([items, named]);

/**
 * The lines of an answer: its rows, below each opened one the rows that it is made of, and below each group a
 * subtotal where the question has them; then rows of a group stand together, groups in the order of their
 * first rows.
 */
export function tableLines(answer: QueryState, query: Query, opened: ReadonlyMap<string, Below>): Line[] {
  const items = query.by ?? [];
  const width = items.length;
  const rowAt = (at: number): OpenedRow => {
    const members = answer.rows[at]!.slice(0, width);
    return { items, members, named: namedMembers(members, answer.keys?.[at]?.slice(0, width)) };
  };
  const rows = answer.rows.map((_, at) => rowAt(at));
  const withSubtotals = query.subtotals === true && width > 1 && answer.subtotals !== undefined;
  const order = withSubtotals ? grouped(rows.map((r) => r.named)) : [...rows.keys()];
  const subtotal = withSubtotals ? subtotalsOf(answer) : undefined;
  return order.flatMap((at, place) => [
    ...linesOf(at, rows[at]!, undefined, 0, opened),
    ...(subtotal ? closing(rows[at]!, rows[order[place + 1] ?? -1], subtotal) : []),
  ]);
}

function linesOf(
  at: number,
  row: OpenedRow,
  of: { query: Query; answer: QueryState } | undefined,
  depth: number,
  opened: ReadonlyMap<string, Below>,
): Line[] {
  const below = opened.get(keyOfRow(row));
  const own: Line = { kind: 'row', at, row, depth, ...(of ? { of } : {}), ...(below ? { below } : {}) };
  if (!below) return [own];
  const { answer, query, fault, item } = below;
  if (!answer) return [own, { kind: 'note', text: fault ?? 'Working …', depth: depth + 1 }];
  const places = rowsBelow(answer, row);
  if (places.length === 0) return [own, { kind: 'note', text: 'No rows below it.', depth: depth + 1 }];
  const width = row.items.length + 1;
  const children = places.map((place): [number, OpenedRow] => {
    const members = answer.rows[place]!.slice(0, width);
    return [
      place,
      {
        items: [...row.items, item],
        members,
        named: namedMembers(members, answer.keys?.[place]?.slice(0, width)),
      },
    ];
  });
  return [
    own,
    ...children.flatMap(([place, child]) => linesOf(place, child, { query, answer }, depth + 1, opened)),
  ];
}

/** Rows in an order in which those of equal first members stand together, at each number of members. */
function grouped(named: readonly (readonly MemberOfCell[])[]): number[] {
  const width = named[0]?.length ?? 0;
  const ranks = new Map<string, number>();
  const rankOf = (row: readonly MemberOfCell[], n: number): number => {
    const key = JSON.stringify(row.slice(0, n));
    const known = ranks.get(key);
    if (known !== undefined) return known;
    ranks.set(key, ranks.size);
    return ranks.size - 1;
  };
  const keys = named.map((row) => Array.from({ length: width - 1 }, (_, i) => rankOf(row, i + 1)));
  return [...named.keys()].sort((a, b) => {
    const at = keys[a]!.findIndex((rank, i) => rank !== keys[b]![i]);
    return at < 0 ? a - b : keys[a]![at]! - keys[b]![at]!;
  });
}

type SubtotalOf = (named: readonly MemberOfCell[]) => Extract<Line, { kind: 'subtotal' }> | undefined;

function subtotalsOf({ subtotals = [] }: QueryState): SubtotalOf {
  const known = new Map<string, Extract<Line, { kind: 'subtotal' }>>();
  for (const { by, across, rows, keys } of subtotals) {
    if (across > 0) continue;
    rows.forEach((row, i) => {
      const members = row.slice(0, by);
      const named = namedMembers(members, keys?.[i]);
      known.set(JSON.stringify(named), { kind: 'subtotal', members, named, values: row.slice(by) });
    });
  }
  return (named) => known.get(JSON.stringify(named));
}

/** Subtotals of the groups that end with a row, the smallest group first. */
function closing(row: OpenedRow, next: OpenedRow | undefined, subtotalOf: SubtotalOf): Line[] {
  const lines: Line[] = [];
  for (let n = row.named.length - 1; n > 0; n--) {
    const group = row.named.slice(0, n);
    if (next && JSON.stringify(next.named.slice(0, n)) === JSON.stringify(group)) break;
    const line = subtotalOf(group);
    if (line) lines.push(line);
  }
  return lines;
}
