import { isDetermined } from '../../columns/index.ts';
import { applyEdit, moreSteps } from '../../edit/index.ts';
import { quoteName } from '../../formula/index.ts';
import type { Model, Relationship } from '../../model/index.ts';
import { cardinalityOf, freeName, sameName, stepsOf } from '../../model/index.ts';
import { totalBytes } from '../weight.ts';
import type { FoldKind, Found } from './site.ts';
import { placeOf } from './site.ts';

/** A column of fewer values is cheap on the fact as well. */
const LEAST_VALUES = 2;

const referencesOf = (model: Model, table: string): readonly Relationship[] =>
  (model.relationships ?? []).filter(
    (r) => sameName(r.from.table, table) && r.from.columns.length === 1 && cardinalityOf(r) === 'many-to-one',
  );

/** A fact's column that has one value for each member of a dimension: it belongs to the dimension. */
export const move: FoldKind<'move'> = {
  does: 'move',
  find: ({ data, table, declared, column, usedBy }) => {
    if (table.role !== 'fact' || usedBy.length > 0 || declared.use === 'quantity') return [];
    if (column.distinct < LEAST_VALUES || stepsOf(table).length > 0) return [];
    return referencesOf(data.model, table.name).flatMap((r): Found[] => {
      const reference = data.column(table.name, r.from.columns[0]!);
      const dimension = data.modelTable(r.to.table);
      if (dimension.role === 'staging' || reference.distinct > column.rowCount / 4) return [];
      if (!isDetermined(column, reference)) return [];
      const before = totalBytes(column);
      const there = data.rowCount(dimension.name);
      // The members that occur, each once, is what the dimension would hold of it.
      const after = Math.ceil((there / column.rowCount) * before) + column.dictionaryBytes;
      if (after >= before) return [];
      return [
        {
          fold: { do: 'move', table: table.name, column: declared.name, relationship: r.name },
          change: `move it to ${dimension.name}`,
          reason: `each ${dimension.name} has one value of it on all its rows`,
          beforeBytes: before,
          afterBytes: after,
        },
      ];
    });
  },
  edit: (model, fold) => {
    const place = placeOf(model, fold);
    const r = (model.relationships ?? []).find((x) => sameName(x.name, fold.relationship));
    const dimension = model.tables.find((t) => r && sameName(t.name, r.to.table));
    if (!place || !r || !dimension) return undefined;
    const { table, column } = place;
    const rest = table.columns.filter((c) => !sameName(c.name, column.name));
    const fact = moreSteps(model, table, [], rest);
    const [rows] = fact ?? [];
    if (!fact || rows?.do !== 'put-tables' || rows.name !== null) return undefined;
    const reference = r.from.columns[0]!;
    const now = applyEdit(model, fact);
    const between = freeName(`${dimension.name}_${column.name}`, now.tables);
    const as = freeName(column.name, dimension.columns);
    const { pattern: _, sourceName: __, ...plain } = column;
    const typeOf = (name: string) => table.columns.find((c) => sameName(c.name, name))!.type;
    const pairs = {
      name: between,
      role: 'staging' as const,
      source: {
        steps: [
          { from: rows.value.name },
          { pick: [reference, column.name] },
          { filter: `${quoteName(reference)} is not null` },
          { distinct: true },
        ] as never,
      },
      columns: [
        { name: reference, type: typeOf(reference) },
        { name: column.name, type: column.type },
      ],
    };
    const lookup = {
      lookup: {
        table: between,
        on: [[r.to.columns[0]!, reference]],
        columns: [as === column.name ? column.name : { column: column.name, as }],
      },
    } as never;
    const withPairs = applyEdit(now, [{ do: 'put-tables', name: null, value: pairs }]);
    const taken = moreSteps(withPairs, dimension, [lookup], [...dimension.columns, { ...plain, name: as }]);
    return taken && [...fact, { do: 'put-tables', name: null, value: pairs }, ...taken];
  },
};
