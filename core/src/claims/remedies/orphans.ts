import type { Model, Relationship, Table } from '../../model/index.ts';
import { cardinalityOf, endText, isDefault, sameName, isDerived, stepsOf } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import { missingMembers } from '../../edit/index.ts';
import { tablesRead } from '../../shape/index.ts';
import type { Judgement, Remedy } from '../claim.ts';

/** Ways out of references without a partner. */
export function orphanRemedies(
  model: Model,
  r: Relationship,
  judgement: Judgement,
  data: ModelData | undefined,
): Remedy[] {
  const found: Remedy[] = [];
  const members = unmatchedMembers(model, r);
  if (members) found.push(members);
  if (looksTurned(r, judgement, data))
    found.push({
      id: 'swap-ends',
      title: 'Swap the ends',
      effect: `${r.name} then leads from ${endText(r.to)} to ${endText(r.from)}.`,
      edit: [{ do: 'set-relationship', name: r.name, change: { from: r.to, to: r.from } }],
    });
  if (isDefault(r))
    found.push({
      id: 'not-default',
      title: 'Mark the relationship as not default',
      effect: `Filters no longer pass along ${r.name} unless a measure names it with via.`,
      edit: [{ do: 'set-relationship', name: r.name, change: { default: false } }],
    });
  return found;
}

/** The values of the referring end stand once there, or more than half of them find nothing. */
function looksTurned(r: Relationship, { evidence }: Judgement, data: ModelData | undefined): boolean {
  if (cardinalityOf(r) !== 'many-to-one' || sameName(r.from.table, r.to.table)) return false;
  if (data && r.from.columns.length === 1) {
    const from = data.column(r.from.table, r.from.columns[0]!);
    return from.rowCount > 0 && from.distinct === from.rowCount - from.nulls;
  }
  return evidence.against > evidence.checked / 2;
}

/**
 * Members for the values that have none: the table is derived from its rows as they come and one row more for
 * each unmatched value, labelled so that it can be told. Undefined where the key is of another type, or the
 * referring table is itself made of this one.
 */
function unmatchedMembers(model: Model, r: Relationship): Remedy | undefined {
  const table = (name: string) => model.tables.find((t) => sameName(t.name, name));
  const [from, to] = [table(r.from.table), table(r.to.table)];
  if (
    !from ||
    !to ||
    from === to ||
    cardinalityOf(r) !== 'many-to-one' ||
    madeOf(model, from).has(to.name.toLowerCase())
  )
    return undefined;
  const columns = (t: Table, names: readonly string[]) =>
    names.flatMap((name) => t.columns.find((c) => sameName(c.name, name)) ?? []);
  const shown = { suffix: 'unmatched', label: to.label, words: 'unmatched' };
  const referring = { table: from.name, columns: columns(from, r.from.columns) };
  const under = missingMembers(model, to, columns(to, r.to.columns), referring, shown);
  return (
    under && {
      id: 'add-unmatched-member',
      title: 'Add a member for each unmatched value',
      effect: `${to.name} is derived from its rows as they come, ${under.staging.name}, and one row for each value of ${endText(r.from)} without a partner${under.labelled ? ', shown as “unmatched …”' : ''}. It follows when ${from.name} is loaded again.`,
      edit: under.edit,
    }
  );
}

/** Tables that a table is made of by steps, over any number of hops, in lower case. */
function madeOf(model: Model, table: Table, found = new Set<string>()): Set<string> {
  if (!isDerived(table)) return found;
  for (const name of tablesRead(stepsOf(table))) {
    if (found.has(name.toLowerCase())) continue;
    found.add(name.toLowerCase());
    const other = model.tables.find((t) => sameName(t.name, name));
    if (other) madeOf(model, other, found);
  }
  return found;
}
