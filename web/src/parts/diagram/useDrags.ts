import { useCallback, useEffect, useRef, useState } from 'react';
import type { PointerEvent } from 'react';
import type { Selection } from '../../state/selection.ts';
import type { Card, ColumnEnd } from './layout.ts';
import { HEAD_HEIGHT, ROW_HEIGHT } from './layout.ts';
import type { Viewport } from './useViewport.ts';

/** A column that is dragged, where the pointer is, and the column under it. */
export interface ColumnDrag {
  readonly from: ColumnEnd;
  readonly x: number;
  readonly y: number;
  readonly over?: ColumnEnd;
}

type Handler<T> = (event: PointerEvent<SVGGElement>, of: T) => void;

/** The same function for as long as the component lives, that does what the newest one does. */
function useSteady<T>(handler: Handler<T>): Handler<T> {
  const latest = useRef(handler);
  useEffect(() => {
    latest.current = handler;
  });
  return useCallback((event, of) => latest.current(event, of), []);
}

/** A press of a column that moves is a line to another, one that does not selects it. */
export function useColumnDrag(
  cards: readonly Card[],
  { toDiagram }: Viewport,
  onSelect: (selection: Selection) => void,
  onRelate: (from: ColumnEnd, to: ColumnEnd) => void,
): { drag: ColumnDrag | undefined; onColumn: Handler<ColumnEnd> } {
  const [drag, setDrag] = useState<ColumnDrag>();
  const dragColumn = (event: PointerEvent<SVGGElement>, from: ColumnEnd) => {
    event.stopPropagation();
    if (event.button !== 0) return;
    const [startX, startY] = [event.clientX, event.clientY];
    let begun = false;
    const columnUnder = (e: globalThis.PointerEvent): ColumnEnd | undefined => {
      const { x, y } = toDiagram(e);
      const card = cards.find((c) => x >= c.x && x <= c.x + c.width && y >= c.y && y <= c.y + c.height);
      const row = card ? Math.floor((y - card.y - HEAD_HEIGHT) / ROW_HEIGHT) : -1;
      const column = card?.listed[row];
      return card && column !== undefined && card.table.name !== from.table
        ? { table: card.table.name, column }
        : undefined;
    };
    const move = (e: globalThis.PointerEvent) => {
      if (!begun && Math.abs(e.clientX - startX) + Math.abs(e.clientY - startY) < 4) return;
      begun = true;
      const over = columnUnder(e);
      setDrag({ from, ...toDiagram(e), ...(over ? { over } : {}) });
    };
    const end = (e: globalThis.PointerEvent) => {
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', end);
      setDrag(undefined);
      const over = columnUnder(e);
      if (begun && over) onRelate(from, over);
      else if (!begun) onSelect({ kind: 'column', name: `${from.table}.${from.column}` });
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', end);
  };

  return { drag, onColumn: useSteady(dragColumn) };
}

/** A press of a card's head that moves is a new place, one that does not is a click. */
export function useCardDrag(
  cards: readonly Card[],
  zoom: number,
  onMove: ((table: string, x: number, y: number) => Promise<unknown>) | undefined,
  setHeld: (change: (held: HeldCard | undefined) => HeldCard | undefined) => void,
): Handler<string> {
  const dragCard = (event: PointerEvent<SVGGElement>, table: string) => {
    event.stopPropagation();
    const card = cards.find((c) => c.table.name === table);
    if (event.button !== 0 || !card || !onMove) return;
    const [startX, startY] = [event.clientX, event.clientY];
    let at: { x: number; y: number } | undefined;
    const move = (e: globalThis.PointerEvent) => {
      if (!at && Math.abs(e.clientX - startX) + Math.abs(e.clientY - startY) < 4) return;
      at = {
        x: Math.round(card.x + (e.clientX - startX) / zoom),
        y: Math.round(card.y + (e.clientY - startY) / zoom),
      };
      const held = { table, ...at };
      setHeld(() => held);
    };
    const end = () => {
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', end);
      if (!at) return;
      // The place is shown until the edit that keeps it has come back.
      void onMove(table, at.x, at.y).then(() => setHeld((h) => (h?.table === table ? undefined : h)));
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', end);
  };
  return useSteady(dragCard);
}

/** A card that is held elsewhere than where it is kept. */
export interface HeldCard {
  readonly table: string;
  readonly x: number;
  readonly y: number;
}
