import { namesIn } from '../formula/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';

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

type Step = Readonly<Record<string, unknown>>;

const stepsOf = (table: Table): readonly Step[] =>
  table.source && 'steps' in table.source ? table.source.steps : [];

/** Tables of the model that a derived table's steps read, in their order. Steps that are switched off read none. */
export function tablesRead(steps: readonly Step[]): string[] {
  const found: string[] = [];
  for (const step of steps) {
    if (typeof step.from === 'string') found.push(step.from);
    if (step.join) found.push((step.join as { table: string }).table);
    if (step.lookup) found.push((step.lookup as { table: string }).table);
    if (Array.isArray(step.union)) found.push(...(step.union as string[]));
  }
  return [...new Set(found)];
}

/** What a table's rows come from outside of the model; undefined where nothing does. */
export function sourceName(table: Table): string | undefined {
  const { source } = table;
  if (!source) return undefined;
  if ('file' in source) return source.file;
  if ('connection' in source)
    return `${source.connection}: ${source.schema ? `${source.schema}.` : ''}${source.table}`;
  if ('calendar' in source) return 'a generated calendar';
  if ('members' in source) return 'typed by hand';
  return undefined;
}

/** From the sources to the tables of the model: who is made of what. A table that is made of itself, by mistake, ends the count of hops. */
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

/** Where a column's values come from, one hop back. */
export interface Origin {
  readonly table: string;
  /** Undefined where the rows themselves are counted. */
  readonly column: string | undefined;
  /** What was done on the way: the step's verb, or the column's own formula. */
  readonly by: string;
}

/**
 * The columns that a column is made of, one hop back: by its formula, or through the steps of its table. For a column of a file there are none.
 * Formulas are read for the names of columns that stand before them.
 */
export function originsOf(model: Model, tableName: string, columnName: string): Origin[] {
  const table = model.tables.find((t) => sameName(t.name, tableName));
  const column = table?.columns.find((c) => sameName(c.name, columnName));
  if (!table || !column) return [];
  if (column.formula !== undefined) return ofFormula(model, table, column.formula, 'formula');
  const steps = stepsOf(table);
  return steps.length === 0 ? [] : throughSteps(model, steps, column.sourceName ?? column.name);
}

/** Follows names through the steps from the last to the first. */
function throughSteps(model: Model, steps: readonly Step[], wanted: string): Origin[] {
  const found: Origin[] = [];
  let names: { name: string; by: string }[] = [{ name: wanted, by: 'as it is' }];
  const follow = (at: (name: string) => { names: readonly string[]; by?: string } | undefined) => {
    names = names.flatMap((n) => {
      const to = at(n.name);
      return to ? to.names.map((name) => ({ name, by: to.by ?? n.by })) : [n];
    });
  };
  const has = (table: string, column: string) =>
    columnsOf(model, table).some((c) => sameName(c.name, column));
  for (const step of [...steps].reverse()) {
    if (Array.isArray(step.pick)) {
      const picked = step.pick as (string | { column: string; as: string })[];
      follow((name) => {
        const from = picked.find((c) => typeof c !== 'string' && sameName(c.as, name)) as
          { column: string } | undefined;
        return from && { names: [from.column] };
      });
    } else if (step.derive) {
      const { name: made, formula } = step.derive as { name: string; formula: string };
      follow((name) => (sameName(name, made) ? { names: namesIn(formula), by: formula } : undefined));
    } else if (step.aggregate) {
      const columns = Object.entries((step.aggregate as { columns: Record<string, string> }).columns);
      follow((name) => {
        const made = columns.find(([as]) => sameName(as, name));
        return made && { names: namesIn(made[1]), by: made[1] };
      });
    } else if (typeof step.number === 'string') {
      follow((name) => (sameName(name, step.number as string) ? { names: [] } : undefined));
    } else if (step.join ?? step.lookup) {
      const verb = step.join ? 'join' : 'lookup';
      const { table, columns, on } = step[verb] as {
        table: string;
        columns?: (string | { column: string; as: string })[];
        on: [string, string][];
      };
      names = names.filter((n) => {
        const brought = columns
          ? columns
              .map((c) => (typeof c === 'string' ? { column: c, as: c } : c))
              .find((c) => sameName(c.as, n.name))?.column
          : has(table, n.name) && !on.some(([, theirs]) => sameName(theirs, n.name))
            ? n.name
            : undefined;
        if (brought === undefined) return true;
        found.push({ table, column: brought, by: n.by === 'as it is' ? verb : n.by });
        return false;
      });
    } else if (Array.isArray(step.union)) {
      for (const table of step.union as string[])
        for (const n of names) if (has(table, n.name)) found.push({ table, column: n.name, by: 'union' });
    } else if (typeof step.from === 'string') {
      for (const n of names) {
        if (has(step.from, n.name)) found.push({ table: step.from, column: n.name, by: n.by });
        else if (sameName(n.name, step.from)) found.push({ table: step.from, column: undefined, by: n.by });
      }
    }
  }
  const proper = (o: Origin): Origin => {
    const table = model.tables.find((t) => sameName(t.name, o.table));
    const { column } = o;
    const known =
      column === undefined ? undefined : columnsOf(model, o.table).find((c) => sameName(c.name, column));
    return { ...o, table: table?.name ?? o.table, column: known?.name ?? column };
  };
  return found
    .map(proper)
    .filter((o, i, all) => all.findIndex((p) => p.table === o.table && p.column === o.column) === i);
}

const columnsOf = (model: Model, table: string): readonly ModelColumn[] =>
  model.tables.find((t) => sameName(t.name, table))?.columns ?? [];

function ofFormula(model: Model, table: Table, formula: string, by: string): Origin[] {
  return namesIn(formula).flatMap((name): Origin[] => {
    const dot = name.indexOf('.');
    const [home, column] = dot < 0 ? [table.name, name] : [name.slice(0, dot), name.slice(dot + 1)];
    const found = columnsOf(model, home).find((c) => sameName(c.name, column));
    return found
      ? [{ table: model.tables.find((t) => sameName(t.name, home))!.name, column: found.name, by }]
      : [];
  });
}
