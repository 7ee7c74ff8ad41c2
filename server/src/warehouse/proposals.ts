import type { JudgedClaim } from '@crease/core/claims';
import type { Decided, Proposal, ReferencePattern } from '@crease/core/propose';
import { proposeStar } from '@crease/core/propose';
import type { ModelData } from '@crease/core/query';
import { numberText } from '@crease/core/values';
import type { ModelOnWarehouse } from './warehouse.ts';

/** Tables of so many rows are looked at as a whole to draft a star, larger ones by a sample of as many. */
export const SAMPLED = 50_000;

/**
 * Drafts a star from tables of a database: found on whole small tables and samples of large ones, of which
 * each proposal tells. Whether keys and relationships hold on all rows is for the claims that come with them.
 */
export async function proposalsOn(
  on: ModelOnWarehouse,
  { pattern, ...decided }: { readonly pattern?: ReferencePattern | undefined } & Decided,
): Promise<Proposal[]> {
  const data = await on.withSamples(SAMPLED);
  const sampled = new Set(
    [...on.places].flatMap(([name, { rows }]) => (rows !== null && rows > SAMPLED ? [name] : [])),
  );
  return proposeStar(data, pattern, decided).map((p) => onSample(p, sampled));
}

/** The same from the first rows of each table, as they were brought. */
export function proposalsOnFirstRows(
  { data, rowCounts }: { readonly data: ModelData; readonly rowCounts: ReadonlyMap<string, number> },
  { pattern, ...decided }: { readonly pattern?: ReferencePattern | undefined } & Decided,
): Proposal[] {
  const sampled = new Set(
    [...rowCounts].flatMap(([name, rows]) => (rows > SAMPLED ? [name.toLowerCase()] : [])),
  );
  return proposeStar(data, pattern, decided).map((p) => onSample(p, sampled));
}

/** A proposal that says so where it was found on a sample; the tables are named in lower case. */
const onSample = (p: Proposal, sampled: ReadonlySet<string>): Proposal =>
  sampled.has(p.table.toLowerCase())
    ? { ...p, evidence: [...p.evidence, `found on a sample of ${p.table}`] }
    : p;

/** The claims that tell on all rows whether what is proposed holds. */
export function claimOfProposal({ kind, table, edit }: Proposal): string | undefined {
  if (kind === 'key') return `key-unique:${table}`;
  if (kind !== 'relationship') return undefined;
  for (const op of edit)
    if (op.do === 'put-relationships' && 'value' in op) return `reference-complete:${op.value.name}`;
  return undefined;
}

/** What all rows say of a proposal. */
export const onAllRows = ({ verdict, evidence }: Pick<JudgedClaim, 'verdict' | 'evidence'>): string =>
  verdict === 'unchecked'
    ? `not counted on all rows: ${evidence.notes?.[0] ?? 'no reason is known'}`
    : `on all rows: ${numberText(evidence.against)} of ${numberText(evidence.checked)} against it`;
