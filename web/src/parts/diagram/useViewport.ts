import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { KeyboardEvent, PointerEvent, RefObject } from 'react';
import type { Card } from './layout.ts';
import type { Size, View } from './view.ts';
import { boundsOf, firstView, fitted, focusOf } from './view.ts';

const sizeOf = (element: Element): Size => {
  const { width, height } = element.getBoundingClientRect();
  return { width, height };
};

const LEAST_ZOOM = 0.12;
const MOST_ZOOM = 2.5;

/** What of the picture is seen, and what moves it. */
export interface Viewport {
  readonly box: RefObject<SVGSVGElement | null>;
  readonly view: View;
  /** Of the window, in its pixels. */
  readonly size: Size;
  readonly bounds: ReturnType<typeof boundsOf>;
  setView(change: (view: View) => View): void;
  /** Shows the whole picture. */
  fit(): void;
  /** By a factor, about a point of the window or its middle. */
  zoomAt(factor: number, x?: number, y?: number): void;
  /** Moves with a press of the ground; a press that does not move is a click. */
  pan(event: PointerEvent<SVGSVGElement>, onClick: () => void): void;
  onKeyDown(event: KeyboardEvent<SVGSVGElement>): void;
  /** A place of the window in the measure of the picture. */
  toDiagram(event: { clientX: number; clientY: number }): { x: number; y: number };
}

/**
 * Pan by dragging the ground or by the arrow keys, zoom by the wheel or + and -. The picture is placed when
 * tables come or go or `fitOn` changes, about the selected table where it does not fit.
 */
export function useViewport(cards: readonly Card[], selected: string | undefined, fitOn: string): Viewport {
  const box = useRef<SVGSVGElement>(null);
  const [view, setView] = useState<View>({ x: 0, y: 0, zoom: 1 });
  const [size, setSize] = useState<Size>({ width: 1, height: 1 });
  const bounds = useMemo(() => boundsOf(cards), [cards]);

  const fit = () => setView(fitted(bounds, sizeOf(box.current!)));

  const begin = useCallback(() => {
    const element = box.current;
    if (!element || cards.length === 0) return;
    const room = sizeOf(element);
    // With the view, so that the picture is drawn once.
    setSize(room);
    setView(firstView(bounds, room, focusOf(cards, selected)));
  }, [cards, bounds, selected]);
  // The picture is placed when tables come or go, not at every edit.
  const tables = `${fitOn}\n${cards.map((c) => c.table.name).join('\n')}`;
  useLayoutEffect(begin, [tables]); // oxlint-disable-line react/exhaustive-deps
  useEffect(() => {
    const element = box.current!;
    const observer = new ResizeObserver(() => setSize(sizeOf(element)));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  const zoomAt = useCallback((factor: number, px?: number, py?: number) => {
    const { width, height } = box.current!.getBoundingClientRect();
    const [cx, cy] = [px ?? width / 2, py ?? height / 2];
    setView((v) => {
      const zoom = Math.min(MOST_ZOOM, Math.max(LEAST_ZOOM, v.zoom * factor));
      const k = zoom / v.zoom;
      return { zoom, x: cx - (cx - v.x) * k, y: cy - (cy - v.y) * k };
    });
  }, []);

  useEffect(() => {
    const element = box.current!;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      const { left, top } = element.getBoundingClientRect();
      zoomAt(
        Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.0015)),
        event.clientX - left,
        event.clientY - top,
      );
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  }, [zoomAt]);

  const toDiagram = (event: { clientX: number; clientY: number }) => {
    const { left, top } = box.current!.getBoundingClientRect();
    return { x: (event.clientX - left - view.x) / view.zoom, y: (event.clientY - top - view.y) / view.zoom };
  };

  const pan: Viewport['pan'] = (event, onClick) => {
    if (event.button !== 0) return;
    const [startX, startY, start] = [event.clientX, event.clientY, view];
    let moved = false;
    const element = event.currentTarget;
    element.setPointerCapture(event.pointerId);
    const move = (e: globalThis.PointerEvent) => {
      if (Math.abs(e.clientX - startX) + Math.abs(e.clientY - startY) > 3) moved = true;
      setView({ ...start, x: start.x + e.clientX - startX, y: start.y + e.clientY - startY });
    };
    const end = () => {
      element.removeEventListener('pointermove', move);
      element.removeEventListener('pointerup', end);
      if (!moved) onClick();
    };
    element.addEventListener('pointermove', move);
    element.addEventListener('pointerup', end);
  };

  const onKeyDown: Viewport['onKeyDown'] = (e) => {
    if (e.key === '+' || e.key === '=') zoomAt(1.2);
    if (e.key === '-') zoomAt(1 / 1.2);
    if (e.key === '0') fit();
    const step = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] }[e.key];
    if (step && e.target === e.currentTarget)
      setView((v) => ({ ...v, x: v.x + step[0]!, y: v.y + step[1]! }));
  };
  return { box, view, size, bounds, setView, fit, zoomAt, pan, onKeyDown, toDiagram };
}
