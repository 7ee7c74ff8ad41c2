import type { UnknownMembers } from '@crease/contract';
import { count, many } from '../../parts/text.ts';

const NAMED = 5;

/** References of a load to members that are not there, and what becomes of these. */
export function unknownText({ dimension, members, rows, named, added }: UnknownMembers): string {
  const some = named.slice(0, NAMED).map((name) => `“${name}”`);
  const more = members > some.length ? ` and ${count(members - some.length)} more` : '';
  return `${many(rows, 'row')} ${rows === 1 ? 'refers' : 'refer'} to ${many(members, 'member')} that ${dimension} does not have${added ? ', added as “unmatched”' : ''}: ${some.join(', ')}${more}`;
}
