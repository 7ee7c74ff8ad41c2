import type { UsedBy } from './catalog.ts';

// A measure between what it is built from and what builds on it, in layers.

export interface BuiltNode {
  readonly name: string;
  /** Below the measure (what it is built from) 1, 2, …; above it -1, -2, …; the measure itself 0. */
  readonly layer: number;
}
export interface BuiltOf {
  readonly nodes: readonly BuiltNode[];
  /** From what is used to what uses it. */
  readonly edges: readonly (readonly [used: string, by: string])[];
  /** How many were left out. */
  readonly more: number;
}

/** More are no picture any more. */
const MOST_NODES = 40;

/**
 * Everything that a measure is built from, and everything that builds on it, each in the layer of its longest
 * way to it. Circles, which are faults, end where they come back.
 */
export function builtOf(name: string, uses: ReadonlyMap<string, readonly string[]>, usedBy: UsedBy): BuiltOf {
  const layers = new Map<string, BuiltNode>([[name.toLowerCase(), { name, layer: 0 }]]);
  const edges = new Map<string, readonly [string, string]>();
  let more = 0;
  const walk = (
    at: string,
    layer: number,
    way: 1 | -1,
    next: ReadonlyMap<string, readonly string[]>,
    seen: ReadonlySet<string>,
  ): void => {
    for (const other of next.get(at.toLowerCase()) ?? []) {
      const key = other.toLowerCase();
      if (seen.has(key)) continue;
      const known = layers.get(key);
      if (!known && layers.size >= MOST_NODES) {
        more++;
        continue;
      }
      const [used, by] = way === 1 ? [other, at] : [at, other];
      edges.set(`${used}\n${by}`.toLowerCase(), [used, by]);
      const own = layer + way;
      const isFarther = !known || Math.abs(own) > Math.abs(known.layer);
      if (isFarther) layers.set(key, { name: other, layer: own });
      // What is known already and not farther away has its own ways in the picture.
      if (isFarther) walk(other, own, way, next, new Set(seen).add(key));
    }
  };
  const self = new Set([name.toLowerCase()]);
  walk(name, 0, 1, uses, self);
  walk(name, 0, -1, usedBy, self);
  return { nodes: [...layers.values()], edges: [...edges.values()], more };
}
