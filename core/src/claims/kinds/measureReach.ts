import { shownNames } from '../../model/index.ts';
import type { ClaimKind } from '../claim.ts';
import { claimOf, restsOn } from '../claim.ts';
import { isDimension, measureBases, reaches, shownTables } from './perspectiveParts.ts';

export const measureReach: ClaimKind = {
  kind: 'measure-reach',
  weight: 'warns',
  subject: 'measure<-dimension',
  example:
    '`measure-reach:Visitors<-title`: a perspective that shows “Visitors” beside `title`, which does not reach visits, breaks it.',
  documentation: 'A perspective shows a measure beside a dimension that does not reach it.',
  list: ({ model, checker }) => {
    const pairs = new Map<string, { measure: string; table: string; perspectives: string[] }>();
    for (const p of model.perspectives ?? []) {
      for (const name of shownNames(p, 'measures')) {
        const measure = checker.names.measure(name)?.name;
        if (measure === undefined) continue;
        for (const table of shownTables(checker, p).filter((t) => isDimension(checker, t))) {
          const key = `${measure}<-${table}`;
          if (!pairs.has(key)) pairs.set(key, { measure, table, perspectives: [] });
          pairs.get(key)!.perspectives.push(p.name);
        }
      }
    }
    return [...pairs].map(([subject, { measure, table, perspectives }]) =>
      claimOf(
        measureReach,
        subject,
        `${table} reaches ${measure}, which ${perspectives.join(', ')} shows beside it`,
        {
          ref: { measure, dimension: table },
          found: () => `${table} does not reach ${measure}, which ${perspectives.join(', ')} shows beside it`,
          about: [{ measure }, { table }, ...perspectives.map((perspective) => ({ perspective }))],
          judge: (data) => {
            if (!data.checker.measure(measure)?.typed) return restsOn(`formula-valid:${measure}`);
            const fine =
              measureBases(data.checker, measure).length === 0 || reaches(data.checker, measure, table);
            return {
              verdict: fine ? 'holds' : 'broken',
              evidence: {
                checked: 1,
                against: fine ? 0 : 1,
                ...(fine
                  ? {}
                  : { notes: [`${measure} does not apply beside ${table}: no relationship leads there`] }),
              },
            };
          },
        },
      ),
    );
  },
};
