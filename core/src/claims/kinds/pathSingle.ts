import { isDefault, sameName } from '../../model/index.ts';
import type { Path } from '../../relate/index.ts';
import type { ClaimKind, Remedy } from '../claim.ts';
import { claimOf } from '../claim.ts';

export const pathSingle: ClaimKind = {
  kind: 'path-single',
  weight: 'blocks',
  subject: 'fact->table',
  example:
    '`path-single:loan->calendar`: one default path leads from `loan` to `calendar`; two default references to it break it.',
  documentation: 'Two default paths of relationships lead from a fact to a table.',
  list: ({ model, checker }) =>
    model.tables
      .filter((t) => t.role === 'fact')
      .flatMap((fact) =>
        model.tables
          .filter((t) => !sameName(t.name, fact.name) && t.role !== 'staging')
          .flatMap((table) => {
            const route = checker.reach.route(fact.name, table.name);
            if (!route) return [];
            const paths: readonly Path[] = route.kind === 'ambiguous' ? route.paths : [];
            return [
              claimOf(
                pathSingle,
                `${fact.name}->${table.name}`,
                `one default path leads from ${fact.name} to ${table.name}`,
                {
                  ref: { fact: fact.name, table: table.name },
                  found: (e) => `${e.against} default paths lead from ${fact.name} to ${table.name}`,
                  about: [
                    { table: fact.name },
                    { table: table.name },
                    ...[...new Set(paths.flat().map((r) => r.name))].map((relationship) => ({
                      relationship,
                    })),
                  ],
                  judge: () => ({
                    verdict: paths.length > 1 ? 'broken' : 'holds',
                    evidence: {
                      checked: Math.max(1, paths.length),
                      against: paths.length > 1 ? paths.length : 0,
                      ...(paths.length > 1
                        ? { notes: paths.map((p) => p.map((r) => r.name).join(' → ')) }
                        : {}),
                    },
                  }),
                  remedies: () => remedies(paths),
                },
              ),
            ];
          }),
      ),
};

/** Switching one of the paths off at a relationship that the others do not use. */
function remedies(paths: readonly Path[]): Remedy[] {
  return paths.flatMap((path): Remedy[] => {
    const own = path.find((r) => isDefault(r) && !paths.some((other) => other !== path && other.includes(r)));
    return own
      ? [
          {
            id: `not-default-${own.name}`,
            title: `Mark ${own.name} as not default`,
            effect: `Filters go the other way. Measures reach along ${own.name} with via.`,
            edit: [{ do: 'set-relationship', name: own.name, change: { default: false } }],
          },
        ]
      : [];
  });
}
