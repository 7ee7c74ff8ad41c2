import {
  boundsOf,
  drawnPart,
  firstView,
  fitted,
  isCut,
  lookingAt,
  READABLE_ZOOM,
  seenPart,
  tilesOf,
} from './view.ts';

const window = { width: 700, height: 600 };
const card = (x: number, y: number) => ({ x, y, width: 160, height: 100 });
const focus = { x: 1000, y: 500 };

test('a picture that can be read whole is shown whole, in the middle', () => {
  const b = boundsOf([card(0, 0), card(300, 200)]);
  const view = firstView(b, window, focus);
  expect(view).toEqual(fitted(b, window));
  expect(view.zoom).toBeGreaterThanOrEqual(READABLE_ZOOM);
  expect(isCut(b, seenPart(view, window))).toBe(false);
});

test('a larger picture begins where its text can be read, around what matters', () => {
  const b = boundsOf([card(0, 0), card(2000, 1000)]);
  const view = firstView(b, window, focus);
  expect(view.zoom).toBe(READABLE_ZOOM);
  const seen = seenPart(view, window);
  expect([(seen.left + seen.right) / 2, (seen.top + seen.bottom) / 2]).toEqual([focus.x, focus.y]);
  expect(isCut(b, seen)).toBe(true);
});

test('no empty room is shown beside a picture that is larger than the window', () => {
  const b = boundsOf([card(0, 0), card(2000, 0)]);
  const seen = seenPart(firstView(b, window, { x: 0, y: 0 }), window);
  expect(seen.left).toBe(b.left);
  // It is lower than the window: there it stands in the middle.
  expect(seen.top + seen.bottom).toBeCloseTo(b.top + b.bottom);
  const atEnd = seenPart(firstView(b, window, { x: 9999, y: 0 }), window);
  expect(atEnd.right).toBe(b.right);
});

test('a press in the overview brings its point into the middle and keeps the zoom', () => {
  const view = lookingAt({ x: 5, y: 6, zoom: 0.5 }, { x: 300, y: 40 }, window);
  const seen = seenPart(view, window);
  expect([view.zoom, (seen.left + seen.right) / 2, (seen.top + seen.bottom) / 2]).toEqual([0.5, 300, 40]);
});

test('no cards take no room', () => expect(boundsOf([])).toEqual({ left: 0, top: 0, right: 1, bottom: 1 }));

describe('what is drawn', () => {
  const grid = (side: number) => {
    const cards = Array.from({ length: side * side }, (_, i) => ({
      ...card((i % side) * 300, Math.floor(i / side) * 300),
      table: { name: `T${i}` },
    }));
    // Each with the next one, and the first with the last.
    const edges = cards.map((from, i) => ({ from, to: cards[(i + 1) % cards.length]! }));
    return { cards, edges } as unknown as Parameters<typeof drawnPart>[0];
  };
  const at = (x: number, y: number) => tilesOf(seenPart({ x: -x, y: -y, zoom: 1 }, window));

  test('of a small diagram all, wherever the window is', () => {
    const all = grid(7);
    expect(drawnPart(all, at(90_000, 0), undefined)).toBe(all);
  });

  test('of a large one what is seen, what lies beside it, and what is selected', () => {
    const all = grid(20);
    const drawn = drawnPart(all, at(600, 600), 't399');
    const names = drawn.cards.map((c) => c.table.name);
    // The window shows 600 to 1300 by 600 to 1200: columns 2 to 4, rows 2 to 3.
    expect(names).toEqual(expect.arrayContaining(['T42', 'T44', 'T62', 'T64', 'T399']));
    expect(names.length).toBeLessThan(60);
    expect(names).not.toContain('T8');
    // A line across the window whose cards are both far away.
    const across = { from: all.cards[40]!, to: all.cards[59]! };
    const lines = drawnPart(
      { ...all, edges: [across, { from: all.cards[0]!, to: all.cards[1]! }] },
      at(3000, 600),
      undefined,
    );
    expect(lines.edges).toEqual([across]);
  });

  test('moving a little draws the same, moving on draws the next', () => {
    expect(at(610, 0)).toEqual(at(690, 0));
    expect(at(610, 0)).not.toEqual(at(1210, 0));
  });
});
