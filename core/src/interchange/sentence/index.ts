export type { ReadSentence } from './read.ts';
export { readSentence } from './read.ts';
export { itemWords, plainName, writeSentence } from './write.ts';
export { clauseAt } from './clauses.ts';
export type { Clause } from './words.ts';
