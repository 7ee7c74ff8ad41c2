import type { Card } from './layout.ts';

/**
 * Where the picture stands in its window: a point of the diagram is drawn at `x + zoom * point`, in pixels.
 */
export interface View {
  readonly x: number;
  readonly y: number;
  readonly zoom: number;
}

export interface Bounds {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}

export interface Size {
  readonly width: number;
  readonly height: number;
}

/** Room around the cards: lines between cards of one column, and what they say, reach beyond them. */
const MARGIN = 64;
/** The smallest text of a card is 11 units high: it is to be 11 pixels high at first sight. */
export const READABLE_ZOOM = 1;
const MOST_FITTED_ZOOM = 1.15;

/** What the cards take with the lines around them, in diagram units. */
export function boundsOf(cards: readonly Pick<Card, 'x' | 'y' | 'width' | 'height'>[]): Bounds {
  if (cards.length === 0) return { left: 0, top: 0, right: 1, bottom: 1 };
  return {
    left: Math.min(...cards.map((c) => c.x)) - MARGIN,
    top: Math.min(...cards.map((c) => c.y)) - MARGIN / 2,
    right: Math.max(...cards.map((c) => c.x + c.width)) + MARGIN,
    bottom: Math.max(...cards.map((c) => c.y + c.height)) + MARGIN / 2,
  };
}

const fittedZoom = (b: Bounds, { width, height }: Size): number =>
  Math.min(MOST_FITTED_ZOOM, width / (b.right - b.left), height / (b.bottom - b.top));

const centred = (x: number, y: number, zoom: number, { width, height }: Size): View => ({
  zoom,
  x: width / 2 - zoom * x,
  y: height / 2 - zoom * y,
});

/** The whole picture, however small. */
export const fitted = (b: Bounds, size: Size): View =>
  centred((b.left + b.right) / 2, (b.top + b.bottom) / 2, fittedZoom(b, size), size);

/**
 * Along one side: no empty room beside the picture where it is larger than the window; the picture in the
 * middle where it is smaller.
 */
function held(at: number, zoom: number, from: number, to: number, room: number): number {
  const least = room - zoom * to;
  const most = -zoom * from;
  return least > most ? (least + most) / 2 : Math.min(most, Math.max(least, at));
}

/** At first sight: the whole picture where its text can then be read, else as much as fits around `focus`. */
export function firstView(b: Bounds, size: Size, focus: { readonly x: number; readonly y: number }): View {
  if (fittedZoom(b, size) >= READABLE_ZOOM) return fitted(b, size);
  const { x, y, zoom } = centred(focus.x, focus.y, READABLE_ZOOM, size);
  return {
    zoom,
    x: held(x, zoom, b.left, b.right, size.width),
    y: held(y, zoom, b.top, b.bottom, size.height),
  };
}

/** What to begin with: the selected table, else the facts, else all. */
export function focusOf(cards: readonly Card[], selected: string | undefined): { x: number; y: number } {
  const own = cards.filter((c) => c.table.name.toLowerCase() === selected?.toLowerCase());
  const facts = cards.filter((c) => c.table.role === 'fact');
  const b = boundsOf(own.length > 0 ? own : facts.length > 0 ? facts : cards);
  return { x: (b.left + b.right) / 2, y: (b.top + b.bottom) / 2 };
}

/** The part of the diagram that is seen. */
export const seenPart = (view: View, size: Size): Bounds => ({
  left: -view.x / view.zoom,
  top: -view.y / view.zoom,
  right: (size.width - view.x) / view.zoom,
  bottom: (size.height - view.y) / view.zoom,
});

/** Of a larger diagram only what is near to the window is drawn. */
const MANY_CARDS = 60;
/** In diagram units: what is drawn changes once the window has moved that far. */
const TILE = 300;

/**
 * What to draw of a diagram: the cards that are seen or close to that, those of `kept` names (in lower case),
 * and the lines that may cross the window. Moving within a tile draws the same.
 */
export function drawnPart<
  C extends Pick<Card, 'x' | 'y' | 'width' | 'height' | 'table'>,
  E extends { readonly from: C; readonly to: C },
>(
  all: { readonly cards: readonly C[]; readonly edges: readonly E[] },
  tiles: Bounds,
  kept: string | undefined,
) {
  if (all.cards.length <= MANY_CARDS) return all;
  const meets = (left: number, top: number, right: number, bottom: number) =>
    left < tiles.right && right > tiles.left && top < tiles.bottom && bottom > tiles.top;
  return {
    cards: all.cards.filter(
      (c) => meets(c.x, c.y, c.x + c.width, c.y + c.height) || c.table.name.toLowerCase() === kept,
    ),
    edges: all.edges.filter(({ from, to }) =>
      meets(
        Math.min(from.x, to.x),
        Math.min(from.y, to.y),
        Math.max(from.x + from.width, to.x + to.width),
        Math.max(from.y + from.height, to.y + to.height),
      ),
    ),
  };
}

/** The tiles that are seen. */
export const tilesOf = (seen: Bounds): Bounds => ({
  left: Math.floor(seen.left / TILE) * TILE,
  top: Math.floor(seen.top / TILE) * TILE,
  right: Math.ceil(seen.right / TILE) * TILE,
  bottom: Math.ceil(seen.bottom / TILE) * TILE,
});

/** Whether some of the picture lies outside of the window. */
export const isCut = (b: Bounds, seen: Bounds): boolean =>
  b.left < seen.left - 1 || b.top < seen.top - 1 || b.right > seen.right + 1 || b.bottom > seen.bottom + 1;

/** Moves the window so that a point of the diagram is in its middle. */
export const lookingAt = (view: View, point: { readonly x: number; readonly y: number }, size: Size): View =>
  centred(point.x, point.y, view.zoom, size);
