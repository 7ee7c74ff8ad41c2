import type { Relationship } from '../../model/index.ts';
import { cardinalityOf, isDefault } from '../../model/index.ts';
import type { ClaimKind } from '../claim.ts';
import { claimOf } from '../claim.ts';
import { wholeRelationships } from './common.ts';

export const pathAcyclic: ClaimKind = {
  kind: 'path-acyclic',
  weight: 'blocks',
  subject: 'relationship',
  example:
    '`path-acyclic:branch_district`: following it never comes back to `branch`; a default reference from `district` to `branch` breaks it.',
  documentation: 'Following default many-to-one relationships comes back to the start.',
  list: (context) => {
    const all = wholeRelationships(context).filter((r) => cardinalityOf(r) !== 'many-to-many');
    const walked = all.filter(isDefault);
    return all.map((r) => {
      const circle = isDefault(r) ? backTo(r, walked) : undefined;
      return claimOf(pathAcyclic, r.name, `following ${r.name} never comes back to ${r.from.table}`, {
        ref: { relationship: r.name },
        about: [{ relationship: r.name }],
        found: () => `following ${r.name} comes back to ${r.from.table}`,
        judge: () => ({
          verdict: circle ? 'broken' : 'holds',
          evidence: {
            checked: 1,
            against: circle ? 1 : 0,
            ...(circle ? { notes: [`the cycle: ${circle.join(' → ')}`] } : {}),
          },
        }),
        remedies: () => [
          {
            id: 'not-default',
            title: 'Mark the relationship as not default',
            effect: `${r.name} is followed only where a measure names it with via.`,
            edit: [{ do: 'set-relationship', name: r.name, change: { default: false } }],
          },
        ],
      });
    });
  },
};

function backTo(start: Relationship, all: readonly Relationship[]): string[] | undefined {
  const goal = start.from.table.toLowerCase();
  const seen = new Set<string>();
  const walk = (r: Relationship, way: string[]): string[] | undefined => {
    const at = r.to.table.toLowerCase();
    if (at === goal) return [...way, r.name];
    if (seen.has(at)) return undefined;
    seen.add(at);
    for (const next of all) {
      if (next.from.table.toLowerCase() !== at) continue;
      const found = walk(next, [...way, r.name]);
      if (found) return found;
    }
    return undefined;
  };
  return walk(start, []);
}
