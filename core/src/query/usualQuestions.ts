import { columnPath } from '../formula/index.ts';
import type { PlainQuery, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { DataError } from './dataError.ts';
import type { ModelData } from './modelData.ts';

/** More questions than these are not worth asking ahead. */
const MOST = 60;

/**
 * Questions that together use what questions about a model mostly use: each visible measure of its large
 * facts, and each relationship of these, by the attribute that makes the fewest groups. Asked ahead, they
 * leave columns decoded and relationships indexed for what somebody asks then. Tables whose rows cannot be
 * read are left out.
 */
export function usualQuestions(data: ModelData, leastRows: number): PlainQuery[] {
  const { checker, model } = data;
  const measures = new Map<string, string[]>();
  for (const { name, hidden } of model.measures ?? []) {
    const typed = hidden ? undefined : checker.measure(name)?.typed;
    for (const base of typed ? checker.basesOf(typed) : [])
      measures.set(base, [...(measures.get(base) ?? []), name]);
  }
  const lists = [...measures]
    .filter(([fact]) => rowsOf(data, fact) >= leastRows)
    .map(([fact, names]) => ofFact(data, fact, names));
  // Of each fact the first ones come first.
  const longest = Math.max(0, ...lists.map((list) => list.length));
  return Array.from({ length: longest }, (_, i) => lists.flatMap((list) => list[i] ?? []))
    .flat()
    .slice(0, MOST);
}

/** The first measure by each relationship, then the others by the first. */
function ofFact(data: ModelData, fact: string, [first, ...others]: readonly string[]): PlainQuery[] {
  const { checker, model } = data;
  const attributes = (model.relationships ?? []).flatMap(({ from, to }) => {
    const dimension = sameName(from.table, fact) ? checker.names.table(to.table) : undefined;
    const route = dimension && checker.reach.route(fact, dimension.name, []);
    if (!dimension || !route || route.kind === 'ambiguous' || rowsOf(data, dimension.name) < 0) return [];
    return [columnPath(dimension.name, coarsest(data, dimension))];
  });
  const by = attributes.slice(0, 1);
  return [
    ...attributes.map((attribute) => ({ by: [attribute], measures: [first!] })),
    ...(by.length === 0 ? [{ by, measures: [first!] }] : []),
    ...others.map((measure) => ({ by, measures: [measure] })),
  ];
}

/** -1 where they cannot be read. */
function rowsOf(data: ModelData, table: string): number {
  try {
    return data.rowCount(table);
  } catch (error) {
    if (error instanceof DataError) return -1;
    throw error;
  }
}

/** The column of a dimension that has the fewest values. */
function coarsest(data: ModelData, dimension: Table): string {
  const shown = dimension.columns.filter(
    (c) => c.use === 'attribute' && !c.hidden && c.formula === undefined,
  );
  const [found] = shown
    .map(({ name }) => ({ name, distinct: data.column(dimension.name, name).distinct }))
    .sort((a, b) => a.distinct - b.distinct);
  return found?.name ?? dimension.columns[0]!.name;
}
