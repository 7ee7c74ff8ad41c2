import type { Model, Table } from '../model/index.ts';
import { isDerived, stepsOf } from '../model/index.ts';
import { tablesRead } from '../shape/index.ts';

/**
 * Tables that belong to no star: facts that refer to nothing, dimensions to which no fact leads over any
 * relationships, and staging tables of which no other is derived. A model of one table has none.
 */
export function tablesInNoStar(model: Model): Table[] {
  if (model.tables.length < 2) return [];
  const fold = (name: string) => name.toLowerCase();
  const roles = new Map(model.tables.map((t) => [fold(t.name), t.role]));
  const entered = new Map<string, string[]>();
  const leads = (from: string, to: string) => entered.set(from, [...(entered.get(from) ?? []), to]);
  for (const r of model.relationships ?? []) {
    const [from, to] = [fold(r.from.table), fold(r.to.table)];
    leads(from, to);
    // A bridge is entered from the table that it refers to, and leads on from there.
    if (roles.get(from) === 'bridge') leads(to, from);
  }
  const inStar = new Set<string>();
  const open = model.tables.filter((t) => t.role === 'fact').map((t) => fold(t.name));
  for (let name = open.pop(); name !== undefined; name = open.pop())
    for (const enters of entered.get(name) ?? []) {
      inStar.add(name);
      if (!inStar.has(enters)) open.push(enters);
      inStar.add(enters);
    }
  for (const t of model.tables)
    if (isDerived(t)) for (const name of tablesRead(stepsOf(t))) inStar.add(fold(name));
  return model.tables.filter((t) => !inStar.has(fold(t.name)));
}
