import type { AnswerOf, BodyOf } from '@crease/contract';
import { addressOf, api } from '@crease/contract';
import { ask } from './api.ts';

type QueryBody = BodyOf<typeof api.questions.query>;
type RowsBody = BodyOf<typeof api.questions.rowsBehind>;

/** Where the questions of a screen go: to a model as it is now, or to a release of it. */
export interface Questions {
  /** What answers rest on: two screens with the same have the same answers. */
  readonly of: string;
  query(body: QueryBody, signal?: AbortSignal): Promise<AnswerOf<typeof api.questions.query>>;
  rowsBehind(body: RowsBody, signal?: AbortSignal): Promise<AnswerOf<typeof api.questions.rowsBehind>>;
  values(column: string, search: string): Promise<AnswerOf<typeof api.questions.values>>;
  /** The SWR key of such values. */
  keyOfValues(column: string, search: string): string;
}

/** Questions to the head of a model. */
export const questionsOfModel = (id: number, revision: number): Questions => ({
  of: `models/${id}/${revision}`,
  query: (body, signal) => ask(api.questions.query, { id }, body, signal),
  rowsBehind: (body, signal) => ask(api.questions.rowsBehind, { id }, body, signal),
  values: (column, search) => ask(api.questions.values, { id, column, search }),
  keyOfValues: (column, search) => addressOf(api.questions.values, { id, column, search }),
});

/** A release through the eyes of a perspective. */
export interface ReleaseAsked {
  readonly model: string;
  readonly perspective: string;
  readonly release: number;
}

/** Questions to a release: a page keeps to the one that it was opened with. */
export function questionsOfRelease({ release, ...of }: ReleaseAsked): Questions {
  return {
    of: `released/${of.model}/${of.perspective}/${release}`,
    query: ({ query, texts }, signal) => ask(api.released.query, of, { query, texts, release }, signal),
    rowsBehind: ({ keys: _keys, ...body }, signal) =>
      ask(api.released.rowsBehind, of, { ...body, release }, signal),
    values: (column, search) => ask(api.released.values, { ...of, column, search, release }),
    keyOfValues: (column, search) => addressOf(api.released.values, { ...of, column, search, release }),
  };
}
