import { comparable, formatType, isNumeric, parseType, TEXT } from '../../values/index.ts';
import { endText } from '../../model/index.ts';
import type { ClaimKind, Remedy } from '../claim.ts';
import { claimOf } from '../claim.ts';
import { wholeRelationships } from './common.ts';

export const referenceType: ClaimKind = {
  kind: 'reference-type',
  weight: 'blocks',
  subject: 'relationship',
  example:
    '`reference-type:loan_branch`: both ends are of types that can be compared; a text that refers to a number breaks it.',
  documentation: 'The two ends have types that cannot be compared, or text meets number.',
  list: (context) =>
    wholeRelationships(context).map((r) => {
      const typeOf = (table: string, name: string) =>
        parseType(context.checker.names.column(table, name)!.type) ?? TEXT;
      const pairs = r.from.columns.map((name, i) => ({
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
            const wrong = pairs.filter(({ a, b }) => !comparable(a, b));
            return {
              verdict: wrong.length > 0 ? 'broken' : 'holds',
              evidence: {
                checked: pairs.length,
                against: wrong.length,
                ...(wrong.length
                  ? {
                      notes: wrong.map(
                        (p) =>
                          `${r.from.table}.${p.from} is ${formatType(p.a)}, ${r.to.table}.${p.to} is ${formatType(p.b)}`,
                      ),
                    }
                  : {}),
              },
            };
          },
          remedies: () =>
            pairs
              .filter(({ a, b }) => !comparable(a, b))
              .map((p): Remedy => {
                // A number can always be read as text; text as number may leave values behind.
                const [table, column] = isNumeric(p.a) ? [r.from.table, p.from] : [r.to.table, p.to];
                const to = isNumeric(p.a) ? p.b : p.a;
                return {
                  id: `retype-${table}-${column}`,
                  title: `Declare ${table}.${column} as ${formatType(to)}`,
                  effect: `${table}.${column} is read as ${formatType(to)} from now on; the table has to be loaded again.`,
                  edit: [{ do: 'set-column', table, column, change: { type: formatType(to) } }],
                };
              }),
        },
      );
    }),
};
