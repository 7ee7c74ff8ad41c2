import type { Column } from '../columns/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { useByName } from './amounts.ts';
import { useProposal } from './decided.ts';
import { referringColumns } from './holds.ts';
import { nameLikeness, wordsOf } from './names.ts';
import type { PreviewUse } from './previewUse.ts';
import type { Proposal } from './proposal.ts';

/** The use of each column: reference, key, quantity (with how it is aggregated) or attribute. */
export function proposeUses(model: Model, data: ModelData): Proposal[] {
  return model.tables.flatMap((t) =>
    t.columns.flatMap((c): Proposal[] => {
      const { use, aggregate, reason } = useOf(model, t, c, data.column(t.name, c.name));
      if (c.use === use) return [];
      return [useProposal(t, c, { use, aggregate }, reason)];
    }),
  );
}

function useOf(model: Model, t: Table, c: ModelColumn, column: Column): PreviewUse {
  const isKey = (t.key ?? []).some((k) => sameName(k, c.name));
  const refers = referringColumns(model, t).has(c.name.toLowerCase());
  if (isKey && (t.key!.length === 1 || !refers))
    return { use: 'key', reason: t.key!.length === 1 ? 'it is the key' : 'it is part of the key' };
  if (refers) return { use: 'reference', reason: 'a relationship starts from it' };
  const isParent = (model.hierarchies ?? []).some(
    (h) => sameName(h.table, t.name) && h.parent !== undefined && sameName(h.parent, c.name),
  );
  if (isParent) return { use: 'reference', reason: 'it leads to the parent of each member' };

  const isFact = t.role === 'fact' || t.role === 'bridge';
  if (isFact && isForeign(t, c.name, column))
    return { use: 'reference', reason: 'its name is that of a key, of a table that is not here' };
  const number = useByName(c, column);
  // What whole numbers of a dimension are is not told by their values: they describe, if no name says
  // otherwise.
  if (number.use === 'quantity' && !number.byName && t.role === 'dimension')
    return { use: 'attribute', reason: 'integer that describes the row' };
  return number;
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
