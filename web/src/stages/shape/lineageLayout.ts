import { type Lineage, type LineageNode } from '@crease/core/sources';

/** Distances and sizes in user units of the picture. */
const [COLUMN, ROW] = [186, 30];
export const [WIDTH, HEIGHT, MARGIN] = [148, 22, 14];

export interface Placed extends LineageNode {
  readonly x: number;
  readonly y: number;
}

/** Columns by hops from the sources; within one, nodes stand near those that they come from. */
export function placeLineage({ nodes, edges }: Lineage): Placed[] {
  const placed: Placed[] = [];
  const depths = [...new Set(nodes.map((n) => n.depth))].sort((a, b) => a - b);
  const rank = new Map<string, number>();
  for (const depth of depths) {
    const column = nodes.filter((n) => n.depth === depth);
    const weight = (node: LineageNode, i: number) => {
      const from = edges.filter((e) => e.to === node.id).flatMap((e) => rank.get(e.from) ?? []);
      return from.length > 0 ? from.reduce((sum, r) => sum + r, 0) / from.length : i;
    };
    const sorted = column
      .map((node, i) => ({ node, weight: weight(node, i) }))
      .sort((a, b) => a.weight - b.weight);
    let row = 0;
    for (const { node, weight } of sorted) {
      row = Math.max(row, depth === 0 ? 0 : Math.round(weight));
      rank.set(node.id, row);
      placed.push({ ...node, x: MARGIN + depths.indexOf(depth) * COLUMN, y: MARGIN + row * ROW });
      row++;
    }
  }
  return placed;
}
