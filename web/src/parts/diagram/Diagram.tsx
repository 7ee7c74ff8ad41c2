import { useMemo, useState } from 'react';
import { Maximize2, Minus, Plus } from 'lucide-react';
import type { JudgedClaim } from '@crease/core/claims';
import type { Model } from '@crease/core/model';
import type { Selection } from '../../state/selection.ts';
import type { Card, ColumnEnd, Detail, Positions } from './layout.ts';
import { CARD_WIDTH, HEAD_HEIGHT, layOutStars, ROW_HEIGHT } from './layout.ts';
import { Overview } from './Overview.tsx';
import { Scene } from './Scene.tsx';
import type { ColumnDrag, HeldCard } from './useDrags.ts';
import { useCardDrag, useColumnDrag } from './useDrags.ts';
import { useDrawn } from './useDrawn.ts';
import type { Viewport } from './useViewport.ts';
import { useViewport } from './useViewport.ts';
import { isCut, lookingAt, seenPart } from './view.ts';

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
    | { readonly tables: ReadonlySet<string>; readonly relationships: ReadonlySet<string> }
    | undefined;
  /** Fits the picture anew when it changes. */
  readonly fitOn?: string;
}

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
  const [held, setHeld] = useState<HeldCard>();
  const { cards, edges } = useMemo(() => {
    const put = new Map(positions);
    if (held) put.set(held.table.toLowerCase(), held);
    return layOutStars(model, listed, put);
  }, [model, listed, positions, held]);
  const selected = selection?.kind === 'table' ? selection.name : undefined;
  const viewport = useViewport(cards, selected, fitOn);
  const { box, view, size, bounds, setView } = viewport;
  const { drag, onColumn } = useColumnDrag(cards, viewport, onSelect, onRelate);
  const onHead = useCardDrag(cards, view.zoom, onMove, setHeld);

  const detail: 'names' | 'keys' = view.zoom < 0.34 ? 'names' : 'keys';
  // Until the room for it is known, there is no place for anything: it would be drawn twice.
  const isPlaced = size.width > 1;
  const seen = seenPart(view, size);
  const drawn = useDrawn(cards, edges, seen, selected?.toLowerCase());

  return (
    <div className="relative min-h-0 flex-1">
      <svg
        ref={box}
        className="h-full w-full cursor-grab touch-none select-none active:cursor-grabbing"
        role="group"
        aria-label="Diagram of the stars"
        data-diagram
        onPointerDown={(e) => viewport.pan(e, () => onSelect(undefined))}
        tabIndex={0}
        onKeyDown={viewport.onKeyDown}
      >
        <g transform={`translate(${view.x} ${view.y}) scale(${view.zoom})`}>
          {isPlaced && (
            <Scene
              cards={drawn.cards}
              edges={drawn.edges}
              claims={claims}
              selection={selection}
              detail={detail}
              target={drag?.over}
              onSelect={onSelect}
              onColumn={onColumn}
              onHead={onHead}
              reached={reached}
            />
          )}
          {drag && <DragLine drag={drag} start={endPoint(cards, drag.from)} hint={hint} />}
        </g>
      </svg>
      {isPlaced && isCut(bounds, seen) && (
        <Overview
          cards={cards}
          bounds={bounds}
          seen={seen}
          onMove={(x, y) => setView((v) => lookingAt(v, { x, y }, size))}
        />
      )}
      <ZoomButtons viewport={viewport} />
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

/** The line from a column that is dragged to the pointer, with what the rows say where it is over another. */
function DragLine({
  drag,
  start,
  hint,
}: {
  drag: ColumnDrag;
  start: { x: number; y: number } | undefined;
  hint: Props['hint'];
}) {
  if (!start) return null;
  return (
    <g pointerEvents="none">
      <path
        d={`M${start.x} ${start.y}L${drag.x} ${drag.y}`}
        stroke="var(--ink)"
        strokeWidth={1.6}
        strokeDasharray="5 3"
        fill="none"
      />
      {drag.over && (
        <foreignObject x={drag.x + 12} y={drag.y + 8} width={260} height={70} style={{ overflow: 'visible' }}>
          <div className="w-fit max-w-[250px] border border-ink bg-raised px-2 py-1 text-[12px]">
            {hint(drag.from, drag.over)}
          </div>
        </foreignObject>
      )}
    </g>
  );
}

function ZoomButtons({ viewport: { zoomAt, fit } }: { viewport: Viewport }) {
  return (
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
  );
}
