import { columnOfValues, columnValues, tableOf } from '../../columns/index.ts';
import { comparable, formatType } from '../../values/index.ts';
import { DataError } from '../../query/index.ts';
import type { StepKind } from '../step.ts';
import { few, StepRefusal } from '../step.ts';

/**
 * `{ "union": ["archive"] }`: the rows of other tables below, columns matched by name; what a table lacks is
 * null.
 */
export const union: StepKind<'union'> = {
  verb: 'union',
  says: 'The rows of other tables below, columns matched by name',
  empty: () => [],
  text: (tables) => `and the rows of ${few(tables)}`,
  apply: (input, tables, setting) => {
    const all = [input, ...tables.map((name) => setting.table(name))];
    const names = [
      ...new Map(all.flatMap((t) => [...t.columns].map(([key, c]) => [key, c] as const)).reverse()),
    ].reverse();
    const columns = names.map(([key, { name }]) => {
      const found = all.map((t) => t.columns.get(key));
      const type = found.find((c) => c)!.type;
      const other = found.find(
        (c) => c && (!comparable(c.type, type) || formatType(c.type) !== formatType(type)),
      );
      if (other)
        throw new DataError(
          `the step union: ${name} is ${formatType(type)} in one table and ${formatType(other.type)} in another; give it one type with derive first`,
        );
      return columnOfValues(
        name,
        type,
        all.flatMap((t, i) =>
          Array.from({ length: t.rowCount }, (_, row) =>
            found[i] ? columnValues(found[i])[found[i].codes[row]!]! : null,
          ),
        ),
      );
    });
    return tableOf(input.name, columns, { rowCount: all.reduce((n, t) => n + t.rowCount, 0) });
  },
  reads: (names) => names,
  origin: (names, name, tables) => ({
    names: [name],
    from: names.filter((table) => tables.has(table, name)).map((table) => ({ table, column: name })),
  }),
  quantities: (names, _before, tables) => names.flatMap((name) => tables.quantities(name)),
  rename: (tables, names) => {
    const argument = tables.map(names.table);
    const sides = [
      { has: names.stood, renamed: names.own },
      ...tables.map((table) => ({
        has: (name: string) => names.tables.has(table, name),
        renamed: (name: string) => names.column(table, name),
      })),
    ];
    const { old } = names;
    if (old === undefined) return { argument };
    const having = sides.filter(({ has }) => has(old));
    const renamed = having.filter((side) => side.renamed(old) !== old);
    if (renamed.length > 0 && renamed.length < having.length)
      throw new StepRefusal(
        `union matches columns by name, and another of its tables also has a column ${old}: rename it with a pick step first`,
      );
    return { argument, isRenamed: renamed.length > 0 };
  },
};
