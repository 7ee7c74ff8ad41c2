import { boundsOf, firstView, fitted, isCut, lookingAt, READABLE_ZOOM, seenPart } from './view.ts';

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
