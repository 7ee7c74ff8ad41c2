import type { Value } from '../values/index.ts';
import { INTEGER, textReader } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { codeOfValue, columnValues } from '../columns/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { nameLikeness } from './names.ts';
import { percent } from './proposal.ts';
import type { Proposal } from './proposal.ts';

const DIGITS = /^\d{1,18}$/;
/** Of the other column's values, so much must be among the numbers. */
const MOST = 0.6;

/**
 * Codes of digits with leading zeros, which are text, where another table writes the same codes as whole
 * numbers: only as numbers can the two be related. Codes that would fall together stay text.
 */
export function proposePadded(model: Model, data: ModelData): Proposal[] {
  return model.tables.flatMap((t) =>
    t.columns.flatMap((c): Proposal[] => {
      if (c.type !== 'text' || c.formula !== undefined) return [];
      const numbers = paddedNumbers(data.column(t.name, c.name));
      if (!numbers) return [];
      const other = writtenPlainly(model, data, t, c, numbers);
      if (!other) return [];
      return [
        {
          id: `type:${t.name}.${c.name}`,
          kind: 'type',
          table: t.name,
          says: `${t.name}.${c.name} is a whole number`,
          evidence: [
            'digits with leading zeros',
            `${other.column} writes the same codes without them: ${percent(other.held, other.of)} of its values are among these`,
          ],
          edit: [{ do: 'set-column', table: t.name, column: c.name, change: { type: 'integer' } }],
        },
      ];
    }),
  );
}

/**
 * The numbers of a column of digits of which some have leading zeros; undefined for other columns, and where
 * two would be one number.
 */
function paddedNumbers(column: Column): Set<Value> | undefined {
  const texts = (columnValues(column).slice(1) as string[]).filter((_, i) => column.counts[i + 1]! > 0);
  if (
    texts.length === 0 ||
    !texts.every((text) => DIGITS.test(text)) ||
    !texts.some((text) => /^0\d/.test(text))
  )
    return undefined;
  const read = textReader(INTEGER);
  const numbers = new Set(texts.map((text) => read(text)!));
  return numbers.size === texts.length ? numbers : undefined;
}

/** A column of whole numbers in another table, of the same name, that holds the numbers. */
function writtenPlainly(
  model: Model,
  data: ModelData,
  own: Table,
  column: ModelColumn,
  numbers: ReadonlySet<Value>,
) {
  for (const t of model.tables) {
    if (t === own) continue;
    for (const c of t.columns) {
      if (c.type !== 'integer' || c.formula !== undefined || nameLikeness(c.name, column.name) < 1) continue;
      const { domain, distinct } = data.column(t.name, c.name);
      let held = 0;
      for (const number of numbers) if (codeOfValue(domain, number) > 0) held++;
      if (distinct > 0 && held >= distinct * MOST)
        return { column: `${t.name}.${c.name}`, held, of: distinct };
    }
  }
  return undefined;
}
