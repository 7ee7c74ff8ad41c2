import type { Model, Table } from '../model/index.ts';
import { sameName, stepsOf } from '../model/index.ts';
import { tablesRead } from '../shape/index.ts';
import { sourceKind } from './kinds.ts';

/** A place that rows or values come from: a source outside of the model, or a table of it. */
export interface LineageNode {
  /** `source:loan.csv`, `table:loan`. */
  readonly id: string;
  readonly kind: 'source' | 'table';
  readonly name: string;
  readonly role?: Table['role'];
  /** Hops from the furthest source. */
  readonly depth: number;
}

export interface Lineage {
  readonly nodes: readonly LineageNode[];
  readonly edges: readonly { readonly from: string; readonly to: string }[];
}

/** What a table's rows come from outside of the model; undefined where nothing does. */
export const sourceName = ({ source }: Table): string | undefined =>
  source && sourceKind(source).place(source);

/**
 * From the sources to the tables of the model: who is made of what. A table that is made of itself, by
 * mistake, ends the count of hops.
 */
export function lineageOf(model: Model): Lineage {
  const byName = (name: string) => model.tables.find((t) => sameName(t.name, name));
  const depths = new Map<string, number>();
  const depthOf = (table: Table, above: readonly Table[]): number => {
    const known = depths.get(table.name);
    if (known !== undefined) return known;
    if (above.includes(table)) return 0;
    const below = tablesRead(stepsOf(table)).flatMap((name) => byName(name) ?? []);
    const depth = 1 + Math.max(0, ...below.map((t) => depthOf(t, [...above, table])));
    depths.set(table.name, depth);
    return depth;
  };
  const nodes: LineageNode[] = [];
  const edges: { from: string; to: string }[] = [];
  for (const table of model.tables) {
    const id = `table:${table.name}`;
    nodes.push({ id, kind: 'table', name: table.name, role: table.role, depth: depthOf(table, []) });
    const source = sourceName(table);
    if (source !== undefined) {
      const from = `source:${source}`;
      if (!nodes.some((n) => n.id === from)) nodes.push({ id: from, kind: 'source', name: source, depth: 0 });
      edges.push({ from, to: id });
    }
    for (const name of tablesRead(stepsOf(table))) {
      const read = byName(name);
      if (read) edges.push({ from: `table:${read.name}`, to: id });
    }
  }
  return { nodes, edges };
}
