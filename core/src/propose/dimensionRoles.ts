import type { Relationship } from '../model/index.ts';
import { nameWords } from '../model/index.ts';
import { wordsOf } from './names.ts';
import type { Proposal } from './proposal.ts';

/** Endings that say how a column refers, not as what. */
const PLAIN = new Set(['id', 'code', 'key', 'no', 'nr', 'number', 'sk', 'fk']);

/**
 * Names the roles of dimensions to which a table has several relationships, by their columns:
 * `origin_airport` and `destination_airport` give Origin and Destination. Questions can then ask by each.
 */
export function withRoleNames(proposals: readonly Proposal[]): Proposal[] {
  const drawn = (p: Proposal): Relationship | undefined => {
    const edit = p.edit.at(-1);
    return edit?.do === 'put-relationships' ? (edit.value as unknown as Relationship) : undefined;
  };
  const pair = (r: Relationship) => `${r.from.table}\n${r.to.table}`;
  const pairs = new Map<string, number>();
  for (const p of proposals) {
    const r = drawn(p);
    if (r) pairs.set(pair(r), (pairs.get(pair(r)) ?? 0) + 1);
  }
  return proposals.map((p) => {
    const r = drawn(p);
    const role = r && pairs.get(pair(r))! > 1 ? roleName(r) : undefined;
    if (!r || role === undefined) return p;
    const named = { do: 'put-relationships' as const, name: null, value: { ...r, role } };
    return {
      ...p,
      evidence: [...p.evidence, `as a role of ${r.to.table}: ${role}`],
      edit: [...p.edit.slice(0, -1), named],
    };
  });
}

/** What a column says beside the names of the table and of the column that it refers to. */
function roleName({ from, to }: Relationship): string | undefined {
  if (from.columns.length > 1) return undefined;
  const said = new Set([...wordsOf(to.table), ...wordsOf(to.columns[0]!)]);
  const words = nameWords(from.columns[0]!).filter(
    (w) => !PLAIN.has(w) && !wordsOf(w).every((s) => said.has(s)),
  );
  if (words.length === 0) return undefined;
  const text = words.join(' ');
  return text[0]!.toUpperCase() + text.slice(1);
}
