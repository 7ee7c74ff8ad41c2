import { familyMeasures } from '../../model/index.ts';
import type { ClaimKind, Remedy } from '../claim.ts';
import { claimOf } from '../claim.ts';

export const measureName: ClaimKind = {
  kind: 'measure-name',
  weight: 'blocks',
  subject: 'measure',
  example:
    '`measure-name:Loans`: “Loans” is the name of one measure and of no table; a second measure “loans” breaks it.',
  documentation: "A measure's name is not unique in the model without regard to case, or equals a table's.",
  list: ({ model }) => {
    const measures = model.measures ?? [];
    const fold = (name: string) => name.toLowerCase();
    return measures.map((m) => {
      const [alike, table] = [
        [...measures, ...familyMeasures(model)].filter((other) => fold(other.name) === fold(m.name)),
        model.tables.find((t) => fold(t.name) === fold(m.name)),
      ];
      const notes = [
        ...(alike.length > 1 ? [`${alike.length} measures have the name ${m.name}`] : []),
        ...(table ? [`a table has the name ${table.name}`] : []),
      ];
      return claimOf(measureName, m.name, `${m.name} is the name of one measure and of no table`, {
        ref: { measure: m.name },
        about: [{ measure: m.name }],
        found: () => notes.join('; '),
        judge: () => ({
          verdict: notes.length ? 'broken' : 'holds',
          evidence: { checked: 1, against: notes.length, ...(notes.length ? { notes } : {}) },
        }),
        remedies: (): Remedy[] => {
          const free = [
            m.table ? `${m.name} (${m.table})` : `${m.name} 2`,
            `${m.name} 2`,
            `${m.name} 3`,
          ].find((name) => !measures.some((x) => fold(x.name) === fold(name)))!;
          return [
            {
              id: 'rename-measure',
              title: `Rename to ${free}`,
              effect: `The measure gets the name ${free}; formulas that name ${m.name} then mean the other one.`,
              edit: [{ do: 'put-measures', name: m.name, value: { ...m, name: free } }],
            },
          ];
        },
      });
    });
  },
};
