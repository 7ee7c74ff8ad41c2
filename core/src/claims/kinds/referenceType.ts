import { dayOfMoment } from '../../edit/index.ts';
import type { Model, Relationship } from '../../model/index.ts';
import { endText, isLoaded, sameName } from '../../model/index.ts';
import type { DataType } from '../../values/index.ts';
import { comparable, formatType, isNumeric, parseType, TEXT } from '../../values/index.ts';
import type { ClaimKind, Remedy } from '../claim.ts';
import { claimOf } from '../claim.ts';
import { wholeRelationships } from './common.ts';

/** A pair of columns of a relationship, with their types. */
interface Pair {
  readonly from: string;
  readonly to: string;
  readonly a: DataType;
  readonly b: DataType;
}

const notComparable = (r: Relationship, p: Pair): string =>
  `${r.from.table}.${p.from} is ${formatType(p.a)}, ${r.to.table}.${p.to} is ${formatType(p.b)}`;

/** Whether rows that are loaded refer to numbers that a database makes only when the model is there. */
function isNumberedLater(model: Model, r: Relationship, p: Pair): boolean {
  const table = (name: string) => model.tables.find((t) => sameName(t.name, name));
  const column = table(r.to.table)?.columns.find((c) => sameName(c.name, p.to));
  return column?.identity === true && isLoaded(table(r.from.table));
}

/**
 * A moment leads to a day by its own day. A number can always be read as text; text as number may leave
 * values behind. A calendar's days are not made moments for the sake of one fact.
 */
function remedyOf(model: Model, r: Relationship, p: Pair): Remedy {
  const table = model.tables.find((t) => sameName(t.name, r.from.table))!;
  if (p.a.kind === 'timestamp' && p.b.kind === 'date') {
    const day = dayOfMoment(table, p.from);
    const columns = r.from.columns.map((c) => (c === p.from ? day.name : c));
    return {
      id: `day-of-${table.name}-${p.from}`,
      title: `Relate the day of ${table.name}.${p.from}`,
      effect: `${r.name} then starts from ${table.name}.${day.name}, derived as the day of ${p.from}.`,
      edit: [
        ...day.edit,
        { do: 'set-relationship', name: r.name, change: { from: { table: r.from.table, columns } } },
      ],
    };
  }
  const [at, column] = isNumeric(p.a) ? [r.from.table, p.from] : [r.to.table, p.to];
  const to = isNumeric(p.a) ? p.b : p.a;
  return {
    id: `retype-${at}-${column}`,
    title: `Declare ${at}.${column} as ${formatType(to)}`,
    effect: `${at}.${column} is read as ${formatType(to)} from now on; the table has to be loaded again.`,
    edit: [{ do: 'set-column', table: at, column, change: { type: formatType(to) } }],
  };
}

export const referenceType: ClaimKind = {
  kind: 'reference-type',
  weight: 'blocks',
  subject: 'relationship',
  example:
    '`reference-type:loan_branch`: both ends are of types that can be compared; a text that refers to a number breaks it.',
  documentation:
    'The two ends have types that cannot be compared, or text meets number; or rows that are loaded refer to an identity column.',
  list: (context) =>
    wholeRelationships(context).map((r) => {
      const typeOf = (table: string, name: string) =>
        parseType(context.checker.names.column(table, name)!.type) ?? TEXT;
      const pairs = r.from.columns.map((name, i): Pair => ({
        from: name,
        to: r.to.columns[i]!,
        a: typeOf(r.from.table, name),
        b: typeOf(r.to.table, r.to.columns[i]!),
      }));
      return claimOf(
        referenceType,
        r.name,
        `${endText(r.from)} and ${endText(r.to)} are of types that can be compared`,
        {
          ref: { relationship: r.name },
          found: () => `${endText(r.from)} and ${endText(r.to)} are of types that cannot be compared`,
          about: [
            { relationship: r.name },
            ...r.from.columns.map((column) => ({ table: r.from.table, column })),
            ...r.to.columns.map((column) => ({ table: r.to.table, column })),
          ],
          judge: () => {
            const wrong = pairs.filter(({ a, b }) => !comparable(a, b)).map((p) => notComparable(r, p));
            const unknown = pairs.filter((p) => isNumberedLater(context.model, r, p));
            const notes = [
              ...wrong,
              ...unknown.map(
                (p) =>
                  `${r.to.table}.${p.to} is numbered by the target, which ${r.from.table}.${p.from} cannot know`,
              ),
            ];
            return {
              verdict: notes.length > 0 ? 'broken' : 'holds',
              evidence: {
                checked: pairs.length,
                against: notes.length,
                ...(notes.length > 0 ? { notes } : {}),
              },
            };
          },
          remedies: () =>
            pairs.filter(({ a, b }) => !comparable(a, b)).map((p) => remedyOf(context.model, r, p)),
        },
      );
    }),
};
