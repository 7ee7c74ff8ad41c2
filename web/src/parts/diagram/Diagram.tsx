import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { PointerEvent } from 'react';
import { Maximize2, Minus, Plus } from 'lucide-react';
import type { JudgedClaim } from '@crease/core/claims';
import type { Model } from '@crease/core/model';
import type { Selection } from '../../state/selection.ts';
import type { Card, ColumnEnd, Detail, Positions } from './layout.ts';
import { CARD_WIDTH, HEAD_HEIGHT, layOutStars, ROW_HEIGHT } from './layout.ts';
import { Overview } from './Overview.tsx';
import { Scene } from './Scene.tsx';
import type { Size, View } from './view.ts';
import { boundsOf, firstView, fitted, focusOf, isCut, lookingAt, seenPart } from './view.ts';

interface Props {
  readonly model: Model;
  readonly claims: readonly JudgedClaim[];
  readonly selection: Selection | undefined;
  readonly onSelect: (selection: Selection | undefined) => void;
  /** A column has been dropped on another. */
  readonly onRelate: (from: ColumnEnd, to: ColumnEnd) => void;
  /** A column is held over another: what its rows say, to be shown beside the pointer. */
  readonly hint: (from: ColumnEnd, to: ColumnEnd) => string;
  readonly listed?: Detail;
  readonly positions?: Positions;
  /** A card has been put elsewhere. */
  readonly onMove?: (table: string, x: number, y: number) => Promise<unknown>;
  readonly reached?:
    { readonly tables: ReadonlySet<string>; readonly relationships: ReadonlySet<string> } | undefined;
  /** Fits the picture anew when it changes. */
  readonly fitOn?: string;
}

const sizeOf = (element: Element): Size => {
  const { width, height } = element.getBoundingClientRect();
  return { width, height };
};

const LEAST_ZOOM = 0.12;
const MOST_ZOOM = 2.5;

/**
 * The stars as cards and lines: pan by dragging the ground, zoom by the wheel or + and -, select by a click,
 * relate by dragging a column onto a column.
 */
export function Diagram({
  model,
  claims,
  selection,
  onSelect,
  onRelate,
  hint,
  listed = 'keys',
  positions,
  onMove,
  reached,
  fitOn = '',
}: Props) {
  const [held, setHeld] = useState<{ table: string; x: number; y: number }>();
  const { cards, edges } = useMemo(() => {
    const put = new Map(positions);
    if (held) put.set(held.table.toLowerCase(), held);
    return layOutStars(model, listed, put);
  }, [model, listed, positions, held]);
  const box = useRef<SVGSVGElement>(null);
  const [view, setView] = useState<View>({ x: 0, y: 0, zoom: 1 });
  const [drag, setDrag] = useState<{ from: ColumnEnd; x: number; y: number; over?: ColumnEnd }>();

  const [size, setSize] = useState<Size>({ width: 1, height: 1 });
  const bounds = useMemo(() => boundsOf(cards), [cards]);

  const fit = () => setView(fitted(bounds, sizeOf(box.current!)));

  const selected = selection?.kind === 'table' ? selection.name : undefined;
  const begin = useCallback(() => {
    const element = box.current;
    if (!element || cards.length === 0) return;
    setView(firstView(bounds, sizeOf(element), focusOf(cards, selected)));
  }, [cards, bounds, selected]);
  // The picture is placed when tables come or go, not at every edit.
  const tables = `${fitOn}\n${cards.map((c) => c.table.name).join('\n')}`;
  useLayoutEffect(begin, [tables]); // eslint-disable-line react-hooks/exhaustive-deps
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

  const pan = (event: PointerEvent<SVGSVGElement>) => {
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
      if (!moved) onSelect(undefined);
    };
    element.addEventListener('pointermove', move);
    element.addEventListener('pointerup', end);
  };

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

  /** A press of a card's head that moves is a new place, one that does not is a click. */
  const dragCard = (event: PointerEvent<SVGGElement>, table: string) => {
    event.stopPropagation();
    const card = cards.find((c) => c.table.name === table);
    if (event.button !== 0 || !card || !onMove) return;
    const [startX, startY] = [event.clientX, event.clientY];
    let at: { x: number; y: number } | undefined;
    const move = (e: globalThis.PointerEvent) => {
      if (!at && Math.abs(e.clientX - startX) + Math.abs(e.clientY - startY) < 4) return;
      at = {
        x: Math.round(card.x + (e.clientX - startX) / view.zoom),
        y: Math.round(card.y + (e.clientY - startY) / view.zoom),
      };
      setHeld({ table, ...at });
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
  const latestCard = useRef(dragCard);
  const latestDrag = useRef(dragColumn);
  useEffect(() => {
    latestDrag.current = dragColumn;
    latestCard.current = dragCard;
  });
  const onHead = useCallback(
    (event: PointerEvent<SVGGElement>, table: string) => latestCard.current(event, table),
    [],
  );
  const onColumn = useCallback(
    (event: PointerEvent<SVGGElement>, end: ColumnEnd) => latestDrag.current(event, end),
    [],
  );

  const detail: 'names' | 'keys' = view.zoom < 0.34 ? 'names' : 'keys';
  const start = drag ? endPoint(cards, drag.from) : undefined;
  const seen = seenPart(view, size);

  return (
    <div className="relative min-h-0 flex-1">
      <svg
        ref={box}
        className="h-full w-full cursor-grab touch-none select-none active:cursor-grabbing"
        role="group"
        aria-label="Diagram of the stars"
        data-diagram
        onPointerDown={pan}
        tabIndex={0}
        onKeyDown={(e) => {
          if (e.key === '+' || e.key === '=') zoomAt(1.2);
          if (e.key === '-') zoomAt(1 / 1.2);
          if (e.key === '0') fit();
          const step = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] }[
            e.key
          ];
          if (step && e.target === e.currentTarget)
            setView((v) => ({ ...v, x: v.x + step[0]!, y: v.y + step[1]! }));
        }}
      >
        <g transform={`translate(${view.x} ${view.y}) scale(${view.zoom})`}>
          <Scene
            cards={cards}
            edges={edges}
            claims={claims}
            selection={selection}
            detail={detail}
            target={drag?.over}
            onSelect={onSelect}
            onColumn={onColumn}
            onHead={onHead}
            reached={reached}
          />
          {drag && start && (
            <g pointerEvents="none">
              <path
                d={`M${start.x} ${start.y}L${drag.x} ${drag.y}`}
                stroke="var(--ink)"
                strokeWidth={1.6}
                strokeDasharray="5 3"
                fill="none"
              />
              {drag.over && (
                <foreignObject
                  x={drag.x + 12}
                  y={drag.y + 8}
                  width={260}
                  height={70}
                  style={{ overflow: 'visible' }}
                >
                  <div className="w-fit max-w-[250px] border border-ink bg-raised px-2 py-1 text-[12px]">
                    {hint(drag.from, drag.over)}
                  </div>
                </foreignObject>
              )}
            </g>
          )}
        </g>
      </svg>
      {size.width > 1 && isCut(bounds, seen) && (
        <Overview
          cards={cards}
          bounds={bounds}
          seen={seen}
          onMove={(x, y) => setView((v) => lookingAt(v, { x, y }, size))}
        />
      )}
      <div className="no-print absolute bottom-3 left-3 flex flex-col border border-rule-strong bg-raised">
        <button
          className="btn btn-bare px-1"
          onClick={() => zoomAt(1.25)}
          aria-label="Zoom in"
          title="Zoom in (+)"
        >
          <Plus size={15} aria-hidden />
        </button>
        <button
          className="btn btn-bare px-1"
          onClick={() => zoomAt(0.8)}
          aria-label="Zoom out"
          title="Zoom out (-)"
        >
          <Minus size={15} aria-hidden />
        </button>
        <button className="btn btn-bare px-1" onClick={fit} aria-label="Show all" title="Show all (0)">
          <Maximize2 size={14} aria-hidden />
        </button>
      </div>
    </div>
  );
}

function endPoint(cards: readonly Card[], end: ColumnEnd): { x: number; y: number } | undefined {
  const card = cards.find((c) => c.table.name === end.table);
  if (!card) return undefined;
  return {
    x: card.x + CARD_WIDTH / 2,
    y: card.y + HEAD_HEIGHT + ROW_HEIGHT * (card.listed.indexOf(end.column) + 0.5),
  };
}
