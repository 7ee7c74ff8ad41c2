import { quoteName } from '@crease/core/formula';
import type { Model, Table } from '@crease/core/model';

// What stands in empty fields as an example: always of the model at hand.

const path = (table: string, column: string): string => `${quoteName(table)}.${quoteName(column)}`;
const isText = (type: string): boolean => type.startsWith('text');
const isNumber = (type: string): boolean => /^(integer|decimal|double)/.test(type);

/** A measure over the first fact; over any table where no table is one. */
export function measureExample({ tables }: Model): string {
  const base = tables.find((t) => t.role === 'fact') ?? tables[0];
  return base ? `count(${quoteName(base.name)})` : 'count(table)';
}

/** A condition on a text that people see; on any column where there is none. */
export function conditionExample({ tables }: Model): string {
  const seen = [...tables.filter((t) => t.role === 'dimension'), ...tables];
  for (const table of seen)
    for (const column of table.columns)
      if (isText(column.type) && !column.hidden) return `${path(table.name, column.name)} = '…'`;
  const [first] = tables;
  return first?.columns[0] ? `${path(first.name, first.columns[0].name)} is not null` : 'table.column = 1';
}

/** Two texts put together, or a sum of two numbers, of a table's own columns. */
export function columnExample({ columns: all }: Table): string {
  const columns = all.filter((c) => !c.hidden);
  const texts = columns.filter((c) => isText(c.type)).map((c) => quoteName(c.name));
  if (texts.length > 1) return `${texts[0]} || ' ' || ${texts[1]}`;
  const numbers = columns.filter((c) => isNumber(c.type)).map((c) => quoteName(c.name));
  if (numbers.length > 1) return `${numbers[0]} + ${numbers[1]}`;
  return columns[0] ? quoteName(columns[0].name) : '';
}

/** A question about a fact by a dimension that it refers to. */
export function questionExample({ relationships = [] }: Model, fact: Table): string {
  const to = relationships.find((r) => r.from.table === fact.name)?.to.table;
  return `How many rows of ${fact.name}${to === undefined ? '' : ` per ${to}`}?`;
}

/** The grain as a key says it. */
export const grainExample = ({ key = [] }: Table): string =>
  key.length > 0 ? `one row per ${key.join(' and ')}` : 'one row per …';
