import type { Column } from '../../columns/index.ts';
import { codesArray, columnOfCodes, rangeDomain } from '../../columns/index.ts';
import type { Edit } from '../../edit/index.ts';
import { applyEdit, moreSteps } from '../../edit/index.ts';
import { columnPath } from '../../formula/index.ts';
import type { Model, ModelColumn, Relationship } from '../../model/index.ts';
import { cardinalityOf, freeName, sameName } from '../../model/index.ts';
import { INTEGER } from '../../values/index.ts';
import { totalBytes } from '../weight.ts';
import type { FoldKind, Site } from './site.ts';
import { placeOf } from './site.ts';

/** Of a dictionary of fewer values a second copy costs next to nothing. */
const LEAST_VALUES = 64;

/** The relationships that refer to a column by one column. */
const referring = (model: Model, table: string, column: string): readonly Relationship[] =>
  (model.relationships ?? []).filter(
    (r) => sameName(r.to.table, table) && r.to.columns.some((c) => sameName(c, column)),
  );

/**
 * A dimension's key of texts as whole numbers in the order of its rows: each table that refers to it then
 * holds numbers, and the texts are there once. Only where every reference has its row, so that nothing is
 * lost.
 */
export const wholeNumberKey: FoldKind<'whole-number-key'> = {
  does: 'whole-number-key',
  find: (site) => {
    const { data, table, declared, column } = site;
    const isKey = table.key?.length === 1 && sameName(table.key[0]!, declared.name);
    if (!isKey || column.type.kind !== 'text' || column.distinct < LEAST_VALUES) return [];
    const uses = referring(data.model, table.name, declared.name);
    const numbers = uses.map((r) => numbered(site, r));
    if (numbers.length === 0 || !numbers.every((n) => n !== undefined)) return [];
    const own = columnOfCodes(
      'number',
      INTEGER,
      rangeDomain(1, column.rowCount),
      Uint32Array.from({ length: column.rowCount }, (_, row) => row + 1),
    );
    const before = uses.reduce(
      (sum, r) => sum + totalBytes(data.column(r.from.table, r.from.columns[0]!)),
      totalBytes(column),
    );
    const after = numbers.reduce((sum, n) => sum + totalBytes(n), totalBytes(column) + totalBytes(own));
    return [
      {
        fold: {
          do: 'whole-number-key',
          table: table.name,
          column: declared.name,
          relationship: uses[0]!.name,
        },
        change: 'refer to it by a whole number',
        reason: `${uses.map((r) => r.from.table).join(', ')} would hold numbers; its texts would be there once`,
        beforeBytes: before,
        afterBytes: after,
      },
    ];
  },
  edit: (model, fold) => {
    const place = placeOf(model, fold);
    if (!place) return undefined;
    const { table, column } = place;
    const number = freeName(`${table.name}_no`, table.columns);
    const whole = (use: ModelColumn['use']): ModelColumn => ({
      name: number,
      type: 'integer',
      ...(use ? { use } : {}),
      hidden: true,
    });
    const first = moreSteps(model, table, [{ number }], [...table.columns, whole('key')]);
    if (!first) return undefined;
    const edit: Edit = [...first, { do: 'set-table', table: table.name, change: { key: [number] } }];
    for (const r of referring(model, table.name, column.name)) {
      const now = applyEdit(model, edit);
      const from = now.tables.find((t) => sameName(t.name, r.from.table))!;
      const reference = r.from.columns[0]!;
      const as = freeName(number, from.columns);
      const lookup = {
        lookup: {
          table: table.name,
          on: [[reference, column.name]],
          columns: [as === number ? number : { column: number, as }],
        },
      } as never;
      const columns = from.columns.map((c) =>
        sameName(c.name, reference) ? { ...whole('reference'), name: as } : c,
      );
      const more = moreSteps(now, from, [lookup], columns);
      if (!more) return undefined;
      const ends = {
        from: { ...r.from, columns: [as] },
        to: { ...r.to, columns: [number] },
      };
      edit.push(...more, { do: 'put-relationships', name: r.name, value: { ...r, ...ends } });
    }
    return edit;
  },
};

/**
 * The referring column as row numbers of the dimension; undefined where it is used otherwise or is
 * incomplete.
 */
function numbered({ data, table, uses }: Site, r: Relationship): Column | undefined {
  if (r.from.columns.length !== 1 || cardinalityOf(r) !== 'many-to-one') return undefined;
  const path = columnPath(r.from.table, r.from.columns[0]!).toLowerCase();
  if ((uses.get(path) ?? []).some((use) => use !== `relationship ${r.name}`)) return undefined;
  const from = data.modelTable(r.from.table);
  if (from.role === 'staging') return undefined;
  const column = data.column(r.from.table, r.from.columns[0]!);
  const rows = data.pathIndex([r]);
  if (!rows) return undefined;
  const codes = codesArray(data.rowCount(table.name), column.rowCount);
  for (let row = 0; row < codes.length; row++) {
    const at = rows[row]!;
    if (at === 0) return undefined;
    codes[row] = at;
  }
  return columnOfCodes('number', INTEGER, rangeDomain(1, Math.max(1, data.rowCount(table.name))), codes);
}
