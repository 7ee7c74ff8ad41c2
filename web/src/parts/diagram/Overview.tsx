import type { PointerEvent } from 'react';
import type { Card } from './layout.ts';
import type { Bounds } from './view.ts';

const WIDTH = 168;
const MOST_HEIGHT = 120;

/**
 * The whole picture in small, with the part that is seen; a press moves there. With the keyboard, the arrow
 * keys of the diagram do the same.
 */
export function Overview({
  cards,
  bounds,
  seen,
  onMove,
}: {
  cards: readonly Card[];
  bounds: Bounds;
  seen: Bounds;
  onMove: (x: number, y: number) => void;
}) {
  const [w, h] = [bounds.right - bounds.left, bounds.bottom - bounds.top];
  const scale = Math.min(WIDTH / w, MOST_HEIGHT / h);
  const move = (event: PointerEvent<SVGSVGElement>) => {
    const { left, top } = event.currentTarget.getBoundingClientRect();
    onMove(bounds.left + (event.clientX - left) / scale, bounds.top + (event.clientY - top) / scale);
  };
  return (
    <svg
      className="no-print absolute bottom-3 right-3 cursor-move border border-rule-strong bg-raised"
      width={w * scale}
      height={h * scale}
      viewBox={`${bounds.left} ${bounds.top} ${w} ${h}`}
      aria-hidden
      data-overview
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        move(event);
      }}
      onPointerMove={(event) => event.buttons === 1 && move(event)}
    >
      {cards.map((c) => (
        <rect
          key={c.table.name}
          x={c.x}
          y={c.y}
          width={c.width}
          height={c.height}
          fill={c.table.role === 'fact' ? 'var(--bar)' : 'var(--bar-soft)'}
        />
      ))}
      <rect
        x={seen.left}
        y={seen.top}
        width={seen.right - seen.left}
        height={seen.bottom - seen.top}
        fill="none"
        stroke="var(--ink)"
        strokeWidth={1.5 / scale}
      />
    </svg>
  );
}
