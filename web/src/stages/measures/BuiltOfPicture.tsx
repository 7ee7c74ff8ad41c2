import { useMemo } from 'react';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { many } from '../../parts/text.ts';
import { grouped } from '../../parts/grouped.ts';
import { builtOf } from './builtOf.ts';
import type { UsedBy } from './catalog.ts';

const [WIDTH, HEIGHT, GAP_X, GAP_Y] = [132, 24, 26, 10];

/** What a measure is built from, to its left, and what builds on it, to its right; each leads there. */
export function BuiltOfPicture({
  name,
  uses,
  usedBy,
}: {
  name: string;
  uses: ReadonlyMap<string, readonly string[]>;
  usedBy: UsedBy;
}) {
  const { names } = useModel();
  const [, select] = useSelection();
  const { nodes, edges, more } = useMemo(() => builtOf(name, uses, usedBy), [name, uses, usedBy]);
  const layers = [...grouped(nodes, (node) => String(node.layer))]
    .map(([layer, list]) => ({ layer: Number(layer), list }))
    .sort((a, b) => b.layer - a.layer);
  if (nodes.length < 2) return null;
  const places = new Map(
    layers.flatMap(({ list }, x) =>
      list.map(
        (node, y) => [node.name.toLowerCase(), { x: x * (WIDTH + GAP_X), y: y * (HEIGHT + GAP_Y) }] as const,
      ),
    ),
  );
  const width = layers.length * (WIDTH + GAP_X) - GAP_X;
  const height = Math.max(...layers.map(({ list }) => list.length)) * (HEIGHT + GAP_Y) - GAP_Y;
  const open = (other: string) =>
    select({ kind: !names.measure(other) && names.path(other) ? 'column' : 'measure', name: other });
  return (
    <section aria-label="Built of" className="border-b border-rule px-4 py-3">
      <h2 className="mb-2 text-[14px]">Built of, and built on it</h2>
      <div
        className="max-h-[260px] overflow-auto"
        tabIndex={0}
        role="region"
        aria-label="Picture of the formulas"
      >
        <svg width={width + 2} height={height + 2} viewBox={`-1 -1 ${width + 2} ${height + 2}`}>
          {edges.map(([used, by]) => {
            const [from, to] = [places.get(used.toLowerCase())!, places.get(by.toLowerCase())!];
            const [x1, y1, x2, y2] = [from.x + WIDTH, from.y + HEIGHT / 2, to.x, to.y + HEIGHT / 2];
            const bend = (x2 - x1) / 2;
            return (
              <path
                key={`${used} ${by}`}
                d={`M${x1} ${y1} C${x1 + bend} ${y1} ${x2 - bend} ${y2} ${x2} ${y2}`}
                fill="none"
                stroke="var(--rule-strong)"
              />
            );
          })}
          {nodes.map((node) => {
            const { x, y } = places.get(node.name.toLowerCase())!;
            const isColumn = !names.measure(node.name) && names.path(node.name) !== undefined;
            return (
              <foreignObject key={node.name} x={x} y={y} width={WIDTH} height={HEIGHT}>
                <button
                  className={`block h-full w-full truncate border px-2 text-left text-[12px] ${node.layer === 0 ? 'border-ink bg-raised font-semibold' : 'border-rule-strong bg-leaf'} ${isColumn ? 'border-dashed font-mono text-[11px]' : ''}`}
                  title={node.name}
                  onClick={() => open(node.name)}
                >
                  {node.name}
                </button>
              </foreignObject>
            );
          })}
        </svg>
      </div>
      {more > 0 && <p className="text-soft">and {many(more, 'more object')}</p>}
    </section>
  );
}
