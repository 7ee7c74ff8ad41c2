import type { Column } from '../../columns/index.ts';
import { nameWords } from '../../model/index.ts';
import type { ModelColumn } from '../../model/index.ts';
import type { DataType } from '../../values/index.ts';
import { DOUBLE, parseType, TEXT } from '../../values/index.ts';
import type { ClaimKind } from '../claim.ts';
import { claimOf, holds } from '../claim.ts';
import type { Counted } from '../counts/index.ts';
import { digitsOf } from '../counts/index.ts';
import { askCount } from '../judging.ts';
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
            judging: function* () {
              const part = isKeyOrReference(model, t, c.name);
              const type = parseType(c.type) ?? TEXT;
              // A distinct count is what codes are counted by: nothing is added up. Values are looked at
              // where name and type do not tell.
              const isSettled = isCount(c.aggregate) || part !== undefined || !mayBeCode(c.name, type);
              const { checked, tally } = yield* askCount(
                isSettled
                  ? { count: 'rows', table: t.name }
                  : { count: 'digits', table: t.name, column: c.name },
              );
              if (isCount(c.aggregate)) return holds(checked);
              const note = part ? `it is part of a ${part}` : reasonOf(c.name, type, tally);
              return {
                verdict: note ? 'broken' : 'holds',
                evidence: { checked, against: note ? checked : 0, ...(note ? { notes: [note] } : {}) },
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

/** What tells codes from amounts: see the count of digits. */
type Digits = Counted['tally'];

/** Why a column looks like a code; a guess, and the message says so. */
export const codeReason = (name: string, isInteger: boolean, column: Column): string | undefined =>
  reasonOf(name, isInteger || column.type.kind !== 'integer' ? column.type : DOUBLE, digitsOf(column));

/** Whether values are to be looked at: name and type alone do not tell that it is a code, or is none. */
const mayBeCode = (name: string, type: DataType): boolean => type.kind === 'integer' && !isCodeName(name);

function reasonOf(name: string, type: DataType, digits: Digits = {}): string | undefined {
  if (type.kind === 'text') return 'it is text';
  if (type.kind !== 'integer') return undefined;
  if (isCodeName(name)) return 'its name is that of a code';
  const { filled = 0, distinct = 0, shortest, longest, padded = 0 } = digits;
  if (padded > 0) return `${padded} of its values are written with zeros in front, as codes are`;
  if (filled < 50 || distinct < filled * 0.98) return undefined;
  return shortest === longest && shortest! >= 7
    ? `it looks like a code: nearly all values differ and all have ${shortest} digits`
    : undefined;
}
