import type { Model, Relationship, Table } from '../../model/index.ts';
import { isDefault, sameName } from '../../model/index.ts';
import type { ClaimContext } from '../claim.ts';

/** Relationships whose two ends exist in the model; what names something missing is a formula's or a perspective's matter. */
export const wholeRelationships = ({ model, checker }: ClaimContext): Relationship[] =>
  (model.relationships ?? []).filter(
    (r) =>
      [r.from, r.to].every((end) => end.columns.every((name) => checker.names.column(end.table, name) !== undefined)) &&
      r.from.columns.length === r.to.columns.length,
  );

/** What a data claim about tables rests on: their definitions and, where columns are derived, everything that formulas may name. */
export function definitions(model: Model, names: readonly string[]): unknown {
  const tables = names.map((name) => model.tables.find((t) => sameName(t.name, name)));
  const derived = tables.some((t) => t?.columns.some((c) => c.formula !== undefined));
  return derived ? [model.tables.map(shape), model.relationships] : tables.map((t) => t && shape(t));
}

const shape = (t: Table): unknown => [t.name, t.role, t.key, t.source, t.columns.map((c) => [c.name, c.type, c.pattern, c.formula])];

/** Everything that formulas may rest on. */
export const formulaParts = (model: Model): unknown => [
  model.tables.map((t) => [shape(t), t.snapshot]),
  model.relationships,
  (model.measures ?? []).map((m) => [m.name, m.formula, m.unreached]),
  model.calendars,
  model.periodFamilies,
];

/** What relationships and roles say, without columns' types. */
export const pathParts = (model: Model): unknown => [
  model.tables.map((t) => [t.name, t.role]),
  (model.relationships ?? []).map((r) => [r.name, r.from, r.to, r.cardinality, isDefault(r)]),
];

/** Columns that take part in a relationship, or in their table's key. */
export function isKeyOrReference(model: Model, table: Table, column: string): 'key' | 'reference' | undefined {
  if ((table.key ?? []).some((name) => sameName(name, column))) return 'key';
  const ends = (model.relationships ?? []).flatMap((r) => [r.from, r.to]);
  return ends.some((end) => sameName(end.table, table.name) && end.columns.some((name) => sameName(name, column)))
    ? 'reference'
    : undefined;
}
