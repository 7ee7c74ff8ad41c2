import { columnPath } from '../formula/index.ts';
import type { Query } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { DataError } from '../query/index.ts';

/** How many members an attribute may have: answers are to be compared, not read. */
const MOST_MEMBERS = 500;
const MOST_ITEMS = 2;

/** Numbers in [0, 1) from a seed (Mulberry32), the same on every machine. */
function numbersFrom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  };
}

/**
 * Questions drawn from a seed, that a target is to answer as the columns do: a measure or two by up to two
 * attributes of few members, some on one member, with totals. None where the model has no measures.
 */
export function drawnQueries(data: ModelData, count: number, seed: number): Query[] {
  const next = numbersFrom(seed);
  const pick = <T>(list: readonly T[]): T => list[Math.floor(next() * list.length)]!;
  const measures = (data.model.measures ?? []).filter((m) => data.checker.measure(m.name)?.typed);
  if (measures.length === 0) return [];
  const attributes = attributesOf(data);
  return Array.from({ length: count }, (): Query => {
    const names = new Set(Array.from({ length: next() < 0.7 ? 1 : 2 }, () => pick(measures).name));
    const by = new Set(
      attributes.length === 0
        ? []
        : Array.from({ length: Math.floor(next() * (MOST_ITEMS + 1)) }, () => pick(attributes).path),
    );
    const on = attributes.length > 0 && next() < 0.3 ? pick(attributes) : undefined;
    return {
      by: [...by],
      measures: [...names],
      ...(on ? { filters: [{ column: on.path, in: [pick(on.members)] }] } : {}),
      totals: true,
    };
  });
}

interface Attribute {
  readonly path: string;
  readonly members: readonly (null | string | number | boolean)[];
}

/** Attributes of tables by which one would group, with members as a filter names them. */
function attributesOf(data: ModelData): Attribute[] {
  return data.model.tables
    .filter((t) => t.role === 'dimension' || t.role === 'fact')
    .flatMap((table) =>
      table.columns
        .filter((c) => c.use !== 'quantity' && ['text', 'integer', 'boolean', 'date'].includes(c.type))
        .flatMap((c): Attribute[] => {
          try {
            const column = data.column(table.name, c.name);
            if (column.distinct === 0 || column.distinct > MOST_MEMBERS || column.type.kind === 'date')
              return [];
            const codes = [...column.counts.keys()].filter((code) => code > 0 && column.counts[code]! > 0);
            const members = column.valuesOf(codes) as (string | number | boolean)[];
            return [{ path: columnPath(table.name, c.name), members }];
          } catch (error) {
            // A column without values is no attribute that can be asked for.
            if (error instanceof DataError) return [];
            throw error;
          }
        }),
    );
}
