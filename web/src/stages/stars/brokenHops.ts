import type { JudgedClaim } from '@crease/core/claims';
import type { Way } from '@crease/core/stars';

/** Broken claims about the relationships of a way: what the way says of them is not so. */
export const brokenHops = (way: Way, claims: readonly JudgedClaim[]): JudgedClaim[] => {
  const names = new Set([...way.hops, ...(way.ways ?? []).flat()].map((h) => h.relationship));
  return claims.filter((c) => c.verdict === 'broken' && names.has(c.about[0]?.relationship ?? ''));
};

/** What is the case with them, in one sentence each. */
export const brokenText = (claims: readonly JudgedClaim[]): string =>
  claims.map((c) => c.found ?? `broken: ${c.says}`).join('; ');
