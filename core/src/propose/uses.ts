import type { Column } from '../columns/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { aggregateOf, useByName } from './amounts.ts';
import { nameLikeness, wordsOf } from './names.ts';
import type { Proposal } from './proposal.ts';

type Use = NonNullable<ModelColumn['use']>;

/** The use of each column: reference, key, quantity (with how it is aggregated) or attribute. */
export function proposeUses(model: Model, data: ModelData): Proposal[] {
  return model.tables.flatMap((t) =>
    t.columns.flatMap((c): Proposal[] => {
      const [use, reason] = useOf(model, t, c, data.column(t.name, c.name));
      if (c.use === use) return [];
      const aggregate = use === 'quantity' ? aggregateOf(c.name) : undefined;
      return [
        {
          id: `use:${t.name}.${c.name}`,
          kind: 'use',
          table: t.name,
          says: `${t.name}.${c.name} is used as ${use === 'attribute' ? 'an attribute' : `a ${use}`}${aggregate ? `, by default ${aggregate === 'avg' ? 'averaged' : 'added up'}` : ''}`,
          evidence: [reason],
          edit: [
            {
              do: 'set-column',
              table: t.name,
              column: c.name,
              change: { use, ...(aggregate ? { aggregate } : {}) },
            },
          ],
        },
      ];
    }),
  );
}

function useOf(model: Model, t: Table, c: ModelColumn, column: Column): readonly [Use, reason: string] {
  const isKey = (t.key ?? []).some((k) => sameName(k, c.name));
  const refers = (model.relationships ?? []).some(
    (r) => sameName(r.from.table, t.name) && r.from.columns.some((n) => sameName(n, c.name)),
  );
  if (isKey && (t.key!.length === 1 || !refers))
    return ['key', t.key!.length === 1 ? 'it is the key' : 'it is part of the key'];
  if (refers) return ['reference', 'a relationship starts from it'];
  const isParent = (model.hierarchies ?? []).some(
    (h) => sameName(h.table, t.name) && h.parent !== undefined && sameName(h.parent, c.name),
  );
  if (isParent) return ['reference', 'it leads to the parent of each member'];

  const isFact = t.role === 'fact' || t.role === 'bridge';
  if (isFact && isForeign(t, c.name, column))
    return ['reference', 'its name is that of a key, of a table that is not here'];
  const number = useByName(c, column);
  // What whole numbers of a dimension are is not told by their values: they describe, if no name says
  // otherwise.
  if (number.use === 'quantity' && !isFact && !number.byName) {
    const isAlone = t.role === 'staging';
    return isAlone ? ['quantity', number.reason] : ['attribute', 'integer that describes the row'];
  }
  return [number.use, number.reason];
}

/** Words with which names of keys end, and how often on average a value of a reference stands. */
const KEY_WORDS = new Set(['id', 'key']);
const REPEATED = 5;

/**
 * Whether a column of a fact is named as another table's key, and its values repeat as those of a reference
 * do.
 */
function isForeign(t: Table, name: string, column: Column): boolean {
  const words = wordsOf(name);
  const own = nameLikeness(words.slice(0, -1).join('_'), t.name);
  return (
    words.length > 1 &&
    KEY_WORDS.has(words.at(-1)!) &&
    own < 1 &&
    column.distinct * REPEATED <= column.rowCount - column.nulls
  );
}
