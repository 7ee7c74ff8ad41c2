import { quoteName } from '../../formula/index.ts';
import type { Model, Relationship, Table } from '../../model/index.ts';
import { cardinalityOf, endText, sameName } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import type { Step } from '../../shape/index.ts';
import { freeTableName, stepsUnder, tablesRead } from '../../shape/index.ts';
import type { Judgement, Remedy } from '../claim.ts';

/** Ways out of references without a partner. */
export function orphanRemedies(model: Model, r: Relationship, judgement: Judgement, data: ModelData | undefined): Remedy[] {
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
 * Members for the values that have none: the table is derived from its rows as they come and one row more for each unmatched value, labelled
 * so that it can be told. Undefined where the key is of another type, or the referring table is itself made of this one.
 */
function unmatchedMembers(model: Model, r: Relationship): Remedy | undefined {
  const table = (name: string) => model.tables.find((t) => sameName(t.name, name));
  const [from, to] = [table(r.from.table), table(r.to.table)];
  if (!from || !to || from === to || cardinalityOf(r) !== 'many-to-one' || madeOf(model, from).has(to.name.toLowerCase())) return undefined;
  const columns = (t: Table, names: readonly string[]) =>
    names.flatMap((name) => t.columns.find((c) => sameName(c.name, name) && c.formula === undefined) ?? []);
  const [own, theirs] = [columns(from, r.from.columns), columns(to, r.to.columns)];
  if (own.length !== r.from.columns.length || theirs.length !== own.length || own.some((c, i) => c.type !== theirs[i]!.type))
    return undefined;
  const name = freeTableName(model, `${to.name}_unmatched`);
  const under = stepsUnder(model, to, [{ union: [name] }]);
  if (!under) return undefined;
  const mark = 'row_is_there';
  const label = columns(to, to.label === undefined ? [] : [to.label])[0];
  const named = label?.type === 'text' && !theirs.includes(label) ? label : undefined;
  const text = theirs.map((c) => (c.type === 'text' ? quoteName(c.name) : `cast(${quoteName(c.name)} as text)`)).join(" || ', ' || ");
  const steps: Step[] = [
    { from: from.name },
    { filter: own.map((c) => `${quoteName(c.name)} is not null`).join(' and ') },
    { pick: own.map((c, i) => ({ column: c.name, as: theirs[i]!.name })) },
    { distinct: true },
    {
      lookup: {
        table: under.staging.name,
        on: theirs.map((c) => [c.name, c.name]),
        columns: [{ column: theirs[0]!.name, as: mark }],
      },
    },
    { filter: `${mark} is null` },
    { pick: theirs.map((c) => c.name) },
    ...(named ? [{ derive: { name: named.name, formula: `'unmatched ' || ${text}` } }] : []),
  ];
  const unmatched: Table = {
    name,
    role: 'staging',
    source: { steps: steps as never },
    columns: [...theirs, ...(named ? [named] : [])].map((c) => ({ name: c.name, type: c.type })),
  };
  const [staging, ...rest] = under.edit;
  return {
    id: 'add-unmatched-member',
    title: 'Add a member for each unmatched value',
    effect: `${to.name} is derived from its rows as they come, ${under.staging.name}, and one row for each value of ${endText(r.from)} without a partner${named ? `, shown as “unmatched …”` : ''}. It follows when ${from.name} is loaded again.`,
    edit: [staging!, { do: 'put-tables', name: null, value: unmatched }, ...rest],
  };
}

/** Tables that a table is made of by steps, over any number of hops, in lower case. */
function madeOf(model: Model, table: Table, found = new Set<string>()): Set<string> {
  if (!table.source || !('steps' in table.source)) return found;
  for (const name of tablesRead(table.source.steps)) {
    if (found.has(name.toLowerCase())) continue;
    found.add(name.toLowerCase());
    const other = model.tables.find((t) => sameName(t.name, name));
    if (other) madeOf(model, other, found);
  }
  return found;
}
