import type { Column } from '../../columns/index.ts';
import { columnByCode, columnValues } from '../../columns/index.ts';
import { moreSteps } from '../../edit/index.ts';
import { quoteName } from '../../formula/index.ts';
import type { ModelColumn } from '../../model/index.ts';
import { freeName, sameName } from '../../model/index.ts';
import { TEXT } from '../../values/index.ts';
import { totalBytes } from '../weight.ts';
import type { FoldKind } from './site.ts';
import { momentsOf } from './moments.ts';
import { placeOf } from './site.ts';

const SEPARATORS = ['-', '/', '.', ':', '_', ' ', '|', '#'];
/** Shorter dictionaries are not worth two columns. */
const LEAST_VALUES = 64;

/** What two columns in place of one must save at least: bytes, and as a share. */
const [WORTH_BYTES, WORTH] = [1 << 12, 0.3];
/** Values by which separators are judged before all are split. */
const LOOKED = 2048;

/** A text that has one separator in every value, as the part before it and the part behind it. */
export const splitText: FoldKind<'split-text'> = {
  does: 'split-text',
  find: ({ table, declared, column, usedBy }) => {
    if (column.type.kind !== 'text' || usedBy.length > 0 || column.distinct < LEAST_VALUES) return [];
    const before = totalBytes(column);
    if (before < WORTH_BYTES || momentsOf(column)) return [];
    const values = columnValues(column) as (string | null)[];
    const step = Math.max(1, Math.floor(values.length / LOOKED));
    const some = values.filter((v, i): v is string => v !== null && i % step === 0);
    const separator = SEPARATORS.filter((s) => some.every((v) => v.includes(s))).sort(
      (a, b) => differentParts(some, a) - differentParts(some, b),
    )[0];
    if (separator === undefined || !values.every((v) => v?.includes(separator) ?? true)) return [];
    const best = { separator, after: partBytes(column, values, separator) };
    if (best.after > before * (1 - WORTH) || before - best.after < WORTH_BYTES) return [];
    return [
      {
        fold: { do: 'split-text', table: table.name, column: declared.name, separator: best.separator },
        change: `split it at the first "${best.separator}" into two columns`,
        reason: 'every value has two parts, and each part repeats more than both together',
        beforeBytes: before,
        afterBytes: best.after,
      },
    ];
  },
  edit: (model, { separator, ...fold }) => {
    const place = placeOf(model, fold);
    if (!place) return undefined;
    const { table, column } = place;
    const { name } = column;
    const first = freeName(`${name}_1`, table.columns);
    const second = freeName(`${name}_2`, [...table.columns, { name: first }]);
    const own = quoteName(name);
    const at = `position('${separator}', ${own})`;
    const steps = [
      { derive: { name: first, formula: `substring(${own}, 1, ${at} - 1)` } },
      { derive: { name: second, formula: `substring(${own}, ${at} + 1, char_length(${own}))` } },
    ];
    const part = (part: string, which: string): ModelColumn => ({
      name: part,
      type: 'text',
      description: `${which} the first "${separator}" of ${name}`,
    });
    const columns = table.columns.flatMap((c) =>
      sameName(c.name, name) ? [part(first, 'Before'), part(second, 'Behind')] : [c],
    );
    return moreSteps(model, table, steps, columns);
  },
};

/** Different texts before and behind the first separator. */
const differentParts = (values: readonly string[], separator: string): number =>
  new Set(values.map((v) => v.slice(0, v.indexOf(separator)))).size +
  new Set(values.map((v) => v.slice(v.indexOf(separator) + 1))).size;

function partBytes(column: Column, values: readonly (string | null)[], separator: string): number {
  const at = values.map((v) => v?.indexOf(separator) ?? 0);
  const of = (part: (value: string, at: number) => string) =>
    totalBytes(
      columnByCode('part', column, TEXT, (code) => {
        const value = values[code]!;
        return value === null ? null : part(value, at[code]!);
      }),
    );
  return of((value, k) => value.slice(0, k)) + of((value, k) => value.slice(k + 1));
}
