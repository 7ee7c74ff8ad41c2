import type { AnswerChange } from '@crease/core/changes';
import { count, many } from './text.ts';

const text = (value: unknown): string =>
  value === undefined ? 'none' : typeof value === 'string' ? value : JSON.stringify(value);

/** How an answer differs from the one before, with the first row that does. */
export function impactText({ rows, differing, first }: AnswerChange): string {
  if (!first) return 'the same';
  const side = (values: readonly unknown[] | null) => (values ? values.map(text).join(', ') : 'not there');
  const of = first.members.length > 0 ? ` for ${first.members.map(text).join(', ')}` : '';
  return `${many(differing, 'row')} of ${count(rows)} ${differing === 1 ? 'differs' : 'differ'};${of} it was ${side(first.before)} and is ${side(first.after)}`;
}
