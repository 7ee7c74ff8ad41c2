import type { PointerEvent } from 'react';
import type { Card } from './layout.ts';
import { HEAD_HEIGHT, ROW_HEIGHT } from './layout.ts';

interface Props {
  readonly card: Card;
  /** Far away only names can be read. */
  readonly detail: 'names' | 'keys';
  readonly broken: boolean;
  readonly selected: boolean;
  /** Column under a drag. */
  readonly target: string | undefined;
  readonly onSelect: () => void;
  readonly onColumn: (event: PointerEvent<SVGGElement>, column: string) => void;
  /** The head is taken hold of, to put the card elsewhere. */
  readonly onHead: (event: PointerEvent<SVGGElement>) => void;
  readonly faded: boolean;
}

const FOLD = 13;

/**
 * The outline of a role: folded corner for a fact, plain for a dimension, notched for a bridge, dashed for
 * staging.
 */
function outline({ table, width: w, height: h }: Card): string {
  switch (table.role) {
    case 'fact':
      return `M0 0H${w - FOLD}L${w} ${FOLD}V${h}H0Z`;
    case 'bridge':
      return `M0 0H${w * 0.38}V7H${w * 0.62}V0H${w}V${h}H${w * 0.62}V${h - 7}H${w * 0.38}V${h}H0Z`;
    default:
      return `M0 0H${w}V${h}H0Z`;
  }
}

export function TableCard({
  card,
  detail,
  broken,
  selected,
  target,
  onSelect,
  onColumn,
  onHead,
  faded,
}: Props) {
  const { table } = card;
  const others = table.columns.length - card.listed.length;
  return (
    <g
      transform={`translate(${card.x} ${card.y})`}
      role="button"
      tabIndex={0}
      aria-label={`${table.role} table ${table.name}`}
      aria-pressed={selected}
      className="cursor-pointer"
      opacity={faded ? 0.25 : 1}
      onPointerDown={onHead}
      onClick={onSelect}
      onKeyDown={(e) => (e.key === 'Enter' || e.key === ' ') && onSelect()}
    >
      <path
        d={outline(card)}
        fill={selected ? 'var(--raised)' : 'var(--leaf)'}
        stroke="var(--ink)"
        strokeWidth={selected ? 2.2 : 1}
        strokeDasharray={table.role === 'staging' ? '5 4' : undefined}
      />
      {table.role === 'fact' && (
        <path
          d={`M${card.width - FOLD} 0V${FOLD}H${card.width}`}
          fill="var(--paper)"
          stroke="var(--ink)"
          strokeWidth={1}
        />
      )}
      <text
        x={9}
        y={detail === 'names' ? card.height / 2 + 9 : 17}
        fontSize={detail === 'names' ? 26 : 13}
        fontWeight={650}
        fill="var(--ink)"
        fontFamily="var(--font-serif)"
      >
        {table.name.length > 20 ? `${table.name.slice(0, 19)}…` : table.name}
      </text>
      {broken && (
        <path
          transform={`translate(${card.width - 27} 7)`}
          d="M1 1h4.2L4 5l3 1.4L5.4 11H1zM6.6 1H11v10H7.2l1.4-5.2L5.8 4.4z"
          fill="var(--vermilion)"
        />
      )}
      {detail === 'keys' && (
        <>
          <path d={`M0 ${HEAD_HEIGHT - 1}H${card.width}`} stroke="var(--rule-strong)" />
          {card.listed.map((column, i) => {
            const isKey = (table.key ?? []).some((k) => k.toLowerCase() === column.toLowerCase());
            return (
              <g
                key={column}
                transform={`translate(0 ${HEAD_HEIGHT + i * ROW_HEIGHT})`}
                className="cursor-crosshair"
                onPointerDown={(e) => onColumn(e, column)}
                onClick={(e) => e.stopPropagation()}
                data-column={`${table.name}.${column}`}
              >
                <rect
                  x={1}
                  width={card.width - 2}
                  height={ROW_HEIGHT}
                  fill={target === column ? 'var(--rule)' : 'transparent'}
                />
                {isKey && <path d="M9 5.5h7M9 8.5h7M9 11.5h7" stroke="var(--ink)" strokeWidth={1.3} />}
                <text
                  x={22}
                  y={12.5}
                  fontSize={11.5}
                  fill="var(--ink)"
                  textDecoration={isKey ? 'underline' : undefined}
                >
                  {column.length > 22 ? `${column.slice(0, 21)}…` : column}
                </text>
              </g>
            );
          })}
          <text
            x={22}
            y={HEAD_HEIGHT + card.listed.length * ROW_HEIGHT + 13}
            fontSize={11}
            fill="var(--soft)"
          >
            {others > 0 ? `${others} more` : ''}
          </text>
        </>
      )}
    </g>
  );
}
