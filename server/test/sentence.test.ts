import { columnPath } from '@crease/core/formula';
import { readSentence, writeSentence } from '@crease/core/interchange';
import type { Query, QueryFilter } from '@crease/core/model';
import { splitPath } from '@crease/core/model';
import { makeCase, modelOf } from './fuzz/compare.ts';
import { cases } from '../../tools/cases.ts';

/** Conditions in the order in which a sentence says them. */
const inOrder = (query: Query): Query => {
  const rank = (f: QueryFilter) => ('top' in f ? 2 : 'having' in f ? 1 : 0);
  return query.filters ? { ...query, filters: [...query.filters].sort((a, b) => rank(a) - rank(b)) } : query;
};

/** Paths as the program writes them. */
const plain = <T>(item: T): T | string => {
  const path = typeof item === 'string' ? splitPath(item) : undefined;
  return path ? columnPath(...path) : item;
};

test('a random question that is written in words is read back as itself', () => {
  for (let seed = 1; seed <= cases(200); seed++) {
    const kase = makeCase(seed);
    const { query } = kase.question;
    const tried: Query = {
      ...query,
      // An empty list says no more than none.
      by: query.by && query.by.length > 0 ? query.by.map(plain) : undefined,
      filters: [
        ...(query.filters ?? []),
        { having: '"Asked" > 1 or "Asked" is null' },
        { top: 3, of: 'Asked', others: seed % 2 === 0 || undefined },
      ],
    };
    const sentence = writeSentence(tried);
    expect({ seed, sentence, ...readSentence(sentence, modelOf(kase)) }).toEqual({
      seed,
      sentence,
      query: inOrder(JSON.parse(JSON.stringify(tried)) as Query),
      faults: [],
    });
  }
});
