import { HEIGHT, MARGIN, placeLineage, WIDTH } from './lineageLayout.ts';
import { type Lineage, type LineageNode } from '@crease/core/sources';

/**
 * From sources on the left to the tables of the model; what a chosen table comes from and feeds is drawn in
 * ink.
 */
export function LineagePicture({
  lineage,
  chosen,
  onChoose,
}: {
  lineage: Lineage;
  chosen: string | undefined;
  onChoose: (table: string) => void;
}) {
  const placed = placeLineage(lineage);
  const at = new Map(placed.map((p) => [p.id, p]));
  const near = chosen === undefined ? undefined : related(lineage, `table:${chosen}`);
  const width = Math.max(...placed.map((p) => p.x), 0) + WIDTH + MARGIN;
  const height = Math.max(...placed.map((p) => p.y), 0) + HEIGHT + MARGIN;
  const isNear = (id: string) => near === undefined || near.has(id);
  return (
    <div className="min-h-0 flex-1 overflow-auto">
      <svg
        viewBox={`0 0 ${width} ${height}`}
        style={{ width: '100%', minWidth: width * 0.75, maxWidth: width }}
        role="group"
        aria-label="Lineage: from sources to tables of the model"
        className="block"
      >
        {lineage.edges.map((e) => {
          const [a, b] = [at.get(e.from)!, at.get(e.to)!];
          const [x1, y1, x2, y2] = [a.x + WIDTH, a.y + HEIGHT / 2, b.x, b.y + HEIGHT / 2];
          const bend = Math.max(20, (x2 - x1) / 2);
          const strong = near !== undefined && near.has(e.from) && near.has(e.to);
          return (
            <path
              key={`${e.from}>${e.to}`}
              d={`M${x1} ${y1}C${x1 + bend} ${y1} ${x2 - bend} ${y2} ${x2} ${y2}`}
              fill="none"
              stroke={strong ? 'var(--ink)' : 'var(--rule-strong)'}
              strokeWidth={strong ? 1.6 : 1}
            />
          );
        })}
        {placed.map((node) => (
          <g
            key={node.id}
            transform={`translate(${node.x} ${node.y})`}
            opacity={isNear(node.id) ? 1 : 0.7}
            {...(node.kind === 'table'
              ? {
                  role: 'button',
                  tabIndex: 0,
                  'aria-pressed': node.name === chosen,
                  'aria-label': `${node.name}, ${node.role}`,
                  onClick: () => onChoose(node.name),
                  onKeyDown: (event: React.KeyboardEvent) =>
                    (event.key === 'Enter' || event.key === ' ') && onChoose(node.name),
                  className: 'cursor-pointer',
                }
              : { 'aria-label': `source ${node.name}` })}
          >
            <title>{node.kind === 'source' ? node.name : `${node.name}: ${node.role}`}</title>
            <path
              d={shapeOf(node)}
              fill={node.kind === 'source' ? 'none' : node.name === chosen ? 'var(--ink)' : 'var(--raised)'}
              stroke={node.kind === 'source' ? 'none' : 'var(--ink)'}
              strokeDasharray={node.role === 'staging' ? '3 3' : undefined}
            />
            <text
              x={8}
              y={15}
              fontSize={12}
              fill={
                node.kind === 'source' ? 'var(--soft)' : node.name === chosen ? 'var(--leaf)' : 'var(--ink)'
              }
            >
              {node.name.length > 21 ? `${node.name.slice(0, 20)}…` : node.name}
            </text>
          </g>
        ))}
      </svg>
    </div>
  );
}

/**
 * Tables differ by the cut of their cards, as on the diagram: facts have a folded corner, bridges notches.
 */
function shapeOf({ role }: LineageNode): string {
  if (role === 'fact') return `M0 0H${WIDTH - 8}L${WIDTH} 8V${HEIGHT}H0z`;
  if (role === 'bridge') return `M0 0H${WIDTH}V7L${WIDTH - 5} 11L${WIDTH} 15V${HEIGHT}H0V15L5 11L0 7z`;
  return `M0 0H${WIDTH}V${HEIGHT}H0z`;
}

/** All that a node comes from, and all that it feeds. */
function related({ edges }: Lineage, id: string): Set<string> {
  const found = new Set([id]);
  const walk = (from: string, next: (id: string) => string[]) => {
    for (const other of next(from)) {
      if (found.has(other)) continue;
      found.add(other);
      walk(other, next);
    }
  };
  walk(id, (n) => edges.filter((e) => e.to === n).map((e) => e.from));
  walk(id, (n) => edges.filter((e) => e.from === n).map((e) => e.to));
  return found;
}
