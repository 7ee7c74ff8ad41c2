import type { Model, Relationship, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';

/** A table's card on the diagram, in diagram units. */
export interface Card {
  readonly table: Table;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  /** Columns that the card lists: keys and references, in the table's order. */
  readonly listed: readonly string[];
}

/** A column of a table, as one end of a relationship to be. */
export interface ColumnEnd {
  readonly table: string;
  readonly column: string;
}

export interface Edge {
  readonly relationship: Relationship;
  readonly from: Card;
  readonly to: Card;
  /** Among the lines between these two cards, from 0. */
  readonly place: number;
}

/** A picture of stars: its cards, and the lines between them. */
interface Layout {
  readonly cards: readonly Card[];
  readonly edges: readonly Edge[];
}

export const CARD_WIDTH = 164;
export const HEAD_HEIGHT = 26;
export const ROW_HEIGHT = 17;
const GAP_X = 78;
const GAP_Y = 22;
/** Columns up to this height are never cut. */
const LEAST_TALL = 900;

/** What a card lists. */
export type Detail = 'keys' | 'columns';
/** A card that lists all columns ends here: what is left out is counted. */
const MOST_LISTED = 40;

/** Where somebody has put a card; by the table's name in lower case. */
export type Positions = ReadonlyMap<string, { readonly x: number; readonly y: number }>;

/** Columns listed on each card, by the table's name: those that make relationships and keys, or all. */
function listedColumns(model: Model, detail: Detail): ReadonlyMap<string, readonly string[]> {
  if (detail === 'columns')
    return new Map(model.tables.map((t) => [t.name, t.columns.slice(0, MOST_LISTED).map((c) => c.name)]));
  const wanted = new Map(
    model.tables.map((t) => [t.name.toLowerCase(), new Set((t.key ?? []).map((c) => c.toLowerCase()))]),
  );
  for (const end of (model.relationships ?? []).flatMap((r) => [r.from, r.to]))
    for (const column of end.columns) wanted.get(end.table.toLowerCase())?.add(column.toLowerCase());
  return new Map(
    model.tables.map((t) => [
      t.name,
      t.columns.map((c) => c.name).filter((c) => wanted.get(t.name.toLowerCase())!.has(c.toLowerCase())),
    ]),
  );
}

/** Pictures of whole models on which nobody has moved a card: a stage that is opened again has it at once. */
const untouched = new WeakMap<Model, Map<Detail, Layout>>();

/** `layOut`, kept for as long as the model is. */
export function layOutStars(model: Model, detail: Detail = 'keys', positions: Positions = new Map()): Layout {
  if (positions.size > 0) return layOut(model, detail, positions);
  const kept = untouched.get(model) ?? new Map<Detail, Layout>();
  untouched.set(model, kept);
  const found = kept.get(detail) ?? layOut(model, detail, positions);
  kept.set(detail, found);
  return found;
}

/**
 * Facts in the middle, dimensions that they refer to on both sides, outriggers and bridges beyond; what
 * nothing leads to stands below. Within a column, cards lie near the middle of those that they are joined
 * with (barycentre method of Sugiyama, Tagawa and Toda, 1981). The same model gives the same picture. Cards
 * that somebody has put somewhere stay there.
 */
function layOut(model: Model, detail: Detail, positions: Positions): Layout {
  const joined = joins(model);
  const listed = listedColumns(model, detail);
  const heights = new Map(
    [...listed].map(([name, columns]) => [name, HEAD_HEIGHT + ROW_HEIGHT * (columns.length + 1) + 6]),
  );
  const columns = assignColumns(model, joined, heights);
  orderColumns(columns, joined, heights);
  const cards: Card[] = [];
  let x = 0;
  for (const column of [...columns.keys()].sort((a, b) => a - b)) {
    for (const stack of stacksOf(columns.get(column)!, heights)) {
      const total = stack.reduce((sum, t) => sum + heights.get(t.name)! + GAP_Y, -GAP_Y);
      let y = -total / 2;
      for (const table of stack) {
        const height = heights.get(table.name)!;
        const put = positions.get(table.name.toLowerCase());
        cards.push({
          table,
          x: put?.x ?? x,
          y: put?.y ?? y,
          width: CARD_WIDTH,
          height,
          listed: listed.get(table.name)!,
        });
        y += height + GAP_Y;
      }
      x += CARD_WIDTH + GAP_X;
    }
  }
  const byName = new Map(cards.map((c) => [c.table.name.toLowerCase(), c]));
  const between = new Map<string, number>();
  const edges = (model.relationships ?? []).flatMap((relationship): Edge[] => {
    const [from, to] = [
      byName.get(relationship.from.table.toLowerCase()),
      byName.get(relationship.to.table.toLowerCase()),
    ];
    if (!from || !to) return [];
    const pair = JSON.stringify([from.table.name, to.table.name].sort());
    const place = between.get(pair) ?? 0;
    between.set(pair, place + 1);
    return [{ relationship, from, to, place }];
  });
  return { cards, edges };
}

/** Cuts a column that is too tall for a picture about as wide as high into several beside each other. */
function stacksOf(tables: readonly Table[], heights: ReadonlyMap<string, number>): Table[][] {
  const all = [...heights.values()].reduce((sum, h) => sum + h + GAP_Y, 0);
  const tallest = Math.max(LEAST_TALL, Math.sqrt(all * (CARD_WIDTH + GAP_X)));
  const stacks: Table[][] = [[]];
  let height = 0;
  for (const table of tables) {
    const own = heights.get(table.name)! + GAP_Y;
    if (height + own > tallest && height > 0) {
      stacks.push([]);
      height = 0;
    }
    stacks.at(-1)!.push(table);
    height += own;
  }
  return stacks;
}

type Joins = ReadonlyMap<string, ReadonlySet<string>>;

function joins(model: Model): Joins {
  const found = new Map(model.tables.map((t) => [t.name, new Set<string>()]));
  const names = new Map(model.tables.map((t) => [t.name.toLowerCase(), t.name]));
  for (const r of model.relationships ?? []) {
    const [a, b] = [r.from.table, r.to.table].map((name) => names.get(name.toLowerCase()));
    if (a === undefined || b === undefined || a === b) continue;
    found.get(a)!.add(b);
    found.get(b)!.add(a);
  }
  return found;
}

/**
 * Column 0 holds the facts; dimensions next to them go left and right in turn, the widest shared first;
 * others follow their neighbour outwards.
 */
function assignColumns(
  model: Model,
  joined: Joins,
  heights: ReadonlyMap<string, number>,
): Map<number, Table[]> {
  const column = new Map<string, number>();
  const facts = model.tables.filter((t) => t.role === 'fact');
  facts.forEach((t) => column.set(t.name, 0));
  const beside = model.tables
    .filter((t) => t.role !== 'fact' && facts.some((f) => joined.get(f.name)!.has(t.name)))
    .sort((a, b) => shares(b, facts, joined) - shares(a, facts, joined));
  beside.forEach((t, i) => column.set(t.name, i % 2 === 0 ? 1 : -1));
  for (let changed = true; changed;) {
    changed = false;
    for (const t of model.tables) {
      if (column.has(t.name)) continue;
      const near = [...joined.get(t.name)!]
        .filter((n) => column.has(n))
        .sort((a, b) => Math.abs(column.get(a)!) - Math.abs(column.get(b)!))[0];
      if (near === undefined) continue;
      const at = column.get(near)!;
      column.set(t.name, at === 0 ? 1 : at + Math.sign(at));
      changed = true;
    }
  }
  const columns = new Map<number, Table[]>();
  const alone = model.tables.filter((t) => !column.has(t.name));
  // What nothing leads to stands where there is most room, and not among the facts where there is another
  // place.
  const beyond = [...new Set(column.values())].filter((at) => at !== 0);
  const places = beyond.length > 0 ? beyond : facts.length > 0 ? [0, 1, -1] : [0, 1, 2, 3];
  const tall = new Map(
    places.map((at) => [
      at,
      [...column].filter(([, c]) => c === at).reduce((sum, [name]) => sum + heights.get(name)!, 0),
    ]),
  );
  for (const t of alone) {
    const at = places.reduce((a, b) => (tall.get(b)! < tall.get(a)! ? b : a));
    column.set(t.name, at);
    tall.set(at, tall.get(at)! + heights.get(t.name)!);
  }
  for (const t of [...model.tables.filter((x) => !alone.includes(x)), ...alone])
    columns.set(column.get(t.name)!, [...(columns.get(column.get(t.name)!) ?? []), t]);
  return columns;
}

const shares = (table: Table, facts: readonly Table[], joined: Joins): number =>
  facts.filter((f) => joined.get(f.name)!.has(table.name)).length;

/**
 * Orders the tables of each column: columns outward from the facts, each ordered by the middle of the
 * neighbours nearer to the facts.
 */
function orderColumns(
  columns: Map<number, Table[]>,
  joined: Joins,
  heights: ReadonlyMap<string, number>,
): void {
  const middle = new Map<string, number>();
  const stack = (tables: readonly Table[]) => {
    const total = tables.reduce((sum, t) => sum + heights.get(t.name)! + GAP_Y, -GAP_Y);
    let y = -total / 2;
    for (const t of tables) {
      middle.set(t.name, y + heights.get(t.name)! / 2);
      y += heights.get(t.name)! + GAP_Y;
    }
  };
  const outward = [...columns.keys()].sort((a, b) => Math.abs(a) - Math.abs(b));
  outward.forEach((c) => stack(columns.get(c)!));
  for (let round = 0; round < 4; round++) {
    for (const c of outward) {
      const order = columns.get(c)!.map((t, i) => {
        const near = [...joined.get(t.name)!].map((n) => middle.get(n)!);
        return { t, i, at: near.length > 0 ? near.reduce((a, b) => a + b, 0) / near.length : Infinity };
      });
      order.sort((a, b) => a.at - b.at || a.i - b.i);
      columns.set(
        c,
        order.map((o) => o.t),
      );
      stack(columns.get(c)!);
    }
  }
}

/** The part of a model that a diagram shows: the chosen tables, and the relationships between them. */
export function partOf(model: Model, tables: readonly string[]): Model {
  const names = new Set(tables.map((t) => t.toLowerCase()));
  const shown = (name: string) => names.has(name.toLowerCase());
  return {
    ...model,
    tables: model.tables.filter((t) => shown(t.name)),
    relationships: (model.relationships ?? []).filter((r) => shown(r.from.table) && shown(r.to.table)),
  };
}

/** Tables that a table is related to. */
export function neighboursOf(model: Model, table: string): string[] {
  const found = (model.relationships ?? []).flatMap((r) =>
    sameName(r.from.table, table) ? [r.to.table] : sameName(r.to.table, table) ? [r.from.table] : [],
  );
  return [...new Set(found)].filter((name) => !sameName(name, table));
}
