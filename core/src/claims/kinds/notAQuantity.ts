import { columnValues } from '../../columns/index.ts';
import type { Column } from '../../columns/index.ts';
import { nameWords } from '../../model/index.ts';
import type { ModelColumn } from '../../model/index.ts';
import { parseType } from '../../values/index.ts';
import type { ClaimKind } from '../claim.ts';
import { claimOf, holds } from '../claim.ts';
import { isKeyOrReference, ofTable } from './common.ts';

const CODE_WORDS = new Set(
  'id ids key code codes no nr num number barcode ean isbn issn zip zipcode postcode phone telephone iban ssn serial sku uuid guid'.split(
    ' ',
  ),
);

/** Whether a name ends in a word for a code; a count of codes (`codes_read`) does not. */
export const isCodeName = (name: string): boolean => CODE_WORDS.has(nameWords(name).at(-1) ?? '');

export const notAQuantity: ClaimKind = {
  kind: 'not-a-quantity',
  weight: 'warns',
  subject: 'table.column',
  example:
    '`not-a-quantity:loan.card_no`: `loan.card_no` is an amount, not a code; that all its values have eight digits and differ breaks it.',
  documentation: 'A column used as a quantity is a key or a reference, or looks like a code.',
  list: ({ model }) =>
    model.tables.flatMap((t) =>
      t.columns
        .filter((c) => c.use === 'quantity')
        .map((c) =>
          claimOf(notAQuantity, `${t.name}.${c.name}`, `${t.name}.${c.name} is an amount, not a code`, {
            ref: { table: t.name, column: c.name },
            about: [{ table: t.name, column: c.name }],
            tables: [t.name],
            columns: ofTable(t.name, [c.name]),
            parts: [isKeyOrReference(model, t, c.name) ?? null, c.aggregate],
            judge: (data) => {
              const part = isKeyOrReference(model, t, c.name);
              const column = data.column(t.name, c.name);
              // A distinct count is what codes are counted by: nothing is added up.
              if (isCount(c.aggregate)) return holds(column.rowCount);
              const note = part
                ? `it is part of a ${part}`
                : codeReason(c.name, parseType(c.type)?.kind === 'integer', column);
              return {
                verdict: note ? 'broken' : 'holds',
                evidence: {
                  checked: column.rowCount,
                  against: note ? column.rowCount : 0,
                  ...(note ? { notes: [note] } : {}),
                },
              };
            },
            found: () => `${t.name}.${c.name} looks like a code, not an amount`,
            remedies: () => [
              {
                id: 'use-attribute',
                title: 'Use it as an attribute',
                effect: `${t.name}.${c.name} is no longer offered for adding up.`,
                edit: [
                  {
                    do: 'set-column',
                    table: t.name,
                    column: c.name,
                    change: { use: 'attribute', aggregate: 'none' },
                  },
                ],
              },
              {
                id: 'use-reference',
                title: 'Use it as a reference',
                effect: `${t.name}.${c.name} is offered for relationships.`,
                edit: [
                  {
                    do: 'set-column',
                    table: t.name,
                    column: c.name,
                    change: { use: 'reference', aggregate: 'none' },
                  },
                ],
              },
            ],
          }),
        ),
    ),
};

const isCount = (aggregate: ModelColumn['aggregate']): boolean =>
  aggregate === 'distinct' || aggregate === 'count';

/** Why a column looks like a code; a guess, and the message says so. */
export function codeReason(name: string, isInteger: boolean, column: Column): string | undefined {
  if (column.type.kind === 'text') return 'it is text';
  if (!isInteger) return undefined;
  const filled = column.rowCount - column.nulls;
  if (isCodeName(name)) return 'its name is that of a code';
  if (column.padded > 0)
    return `${column.padded} of its values are written with zeros in front, as codes are`;
  if (filled < 50 || column.distinct < filled * 0.98) return undefined;
  const widths = new Set<number>();
  const values = columnValues(column);
  for (let code = 1; code < values.length && widths.size < 2; code++)
    if (column.counts[code]! > 0) widths.add(String(values[code]).length);
  return widths.size === 1 && [...widths][0]! >= 7
    ? `it looks like a code: nearly all values differ and all have ${[...widths][0]} digits`
    : undefined;
}
