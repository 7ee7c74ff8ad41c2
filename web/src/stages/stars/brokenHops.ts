import type { JudgedClaim } from '@crease/core/claims';
import type { Way } from '@crease/core/stars';

/** Broken claims by the relationship that they are about. */
export type BrokenByRelationship = ReadonlyMap<string | undefined, readonly JudgedClaim[]>;

export const brokenByRelationship = (claims: readonly JudgedClaim[]): BrokenByRelationship =>
  Map.groupBy(
    claims.filter((c) => c.verdict === 'broken'),
    (c) => c.about[0]?.relationship,
  );

/** Broken claims about the relationships of a way: what the way says of them is not so. */
export const brokenHops = (way: Way, broken: BrokenByRelationship): JudgedClaim[] =>
  [...new Set([...way.hops, ...(way.ways ?? []).flat()].map((h) => h.relationship))].flatMap(
    (name) => broken.get(name) ?? [],
  );

/** What is the case with them, in one sentence each. */
export const brokenText = (claims: readonly JudgedClaim[]): string =>
  claims.map((c) => c.found ?? `broken: ${c.says}`).join('; ');
