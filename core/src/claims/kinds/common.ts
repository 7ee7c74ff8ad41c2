import type { ColumnName, FormulaChecker, Typed } from '../../formula/index.ts';
import { operandsOf } from '../../formula/index.ts';
import type { Hierarchy, Model, Relationship, Table } from '../../model/index.ts';
import { sameName } from '../../model/index.ts';
import { endColumns } from '../basis.ts';
import type { Claim, ClaimContext } from '../claim.ts';

/**
 * Relationships whose two ends exist in the model; what names something missing is a formula's or a
 * perspective's matter.
 */
export const wholeRelationships = ({ model, checker }: ClaimContext): Relationship[] =>
  (model.relationships ?? []).filter(
    (r) =>
      [r.from, r.to].every((end) =>
        end.columns.every((name) => checker.names.column(end.table, name) !== undefined),
      ) && r.from.columns.length === r.to.columns.length,
  );

/** A level of a hierarchy, as waivers name it. */
export const levelRef = (h: Hierarchy, level: { readonly name: string }) => ({
  hierarchy: `${h.table}.${h.name}`,
  level: level.name,
});

/** Columns of one table, as claims name what they read. */
export const ofTable = (table: string, columns: readonly string[]): ColumnName[] =>
  columns.map((column) => ({ table, column }));

/**
 * What a claim about levels of a hierarchy reads: their columns, and the ways from the hierarchy's table to
 * them.
 */
export function levelReads(
  checker: FormulaChecker,
  h: Hierarchy,
  levels: NonNullable<Hierarchy['levels']>,
): Pick<Claim, 'tables' | 'columns' | 'parts'> {
  const paths = levels.flatMap((l) => [l.column, ...(l.key === undefined ? [] : [l.key].flat())]);
  const columns = paths.flatMap((path): ColumnName[] => {
    const found = checker.names.column(h.table, path) ? { table: h.table, column: path } : undefined;
    const other = found ? undefined : checker.names.path(path);
    return found ? [found] : other ? [{ table: other.table.name, column: other.column.name }] : [];
  });
  const ways = columns
    .filter((c) => !sameName(c.table, h.table))
    .map((c) => checker.reach.lookup(h.table, c.table) ?? null);
  const ends = ways.flatMap((way) =>
    (way ?? []).flatMap((r) => [...endColumns(r.from), ...endColumns(r.to)]),
  );
  const key = ofTable(h.table, checker.names.table(h.table)?.key ?? []);
  return { tables: [h.table], columns: [...columns, ...ends, ...key], parts: [levels, ways] };
}

const shape = (t: Table): unknown => [
  t.name,
  t.role,
  t.key,
  t.source,
  t.columns.map((c) => [c.name, c.type, c.pattern, c.formula]),
];

/** Everything that formulas may rest on. */
export const formulaParts = (model: Model): unknown => [
  model.tables.map((t) => [shape(t), t.snapshot]),
  model.relationships,
  (model.measures ?? []).map((m) => [m.name, m.formula, m.unreached]),
  model.calendars,
  model.periodFamilies,
];

/** Columns that take part in a relationship, or in their table's key. */
export function isKeyOrReference(
  model: Model,
  table: Table,
  column: string,
): 'key' | 'reference' | undefined {
  if ((table.key ?? []).some((name) => sameName(name, column))) return 'key';
  const ends = (model.relationships ?? []).flatMap((r) => [r.from, r.to]);
  return ends.some(
    (end) => sameName(end.table, table.name) && end.columns.some((name) => sameName(name, column)),
  )
    ? 'reference'
    : undefined;
}

/** Parts of a scalar operation or a context, without going into measures. */
export const partsOf = (node: Typed): readonly Typed[] =>
  node.kind === 'context' ? [node.operand] : operandsOf(node);
