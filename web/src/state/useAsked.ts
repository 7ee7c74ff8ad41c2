import useSWR from 'swr';

export interface Asked<Question, Answer> {
  /**
   * What `answer` answers: while a newer question is on its way, the older pair is shown, never one half of
   * each.
   */
  readonly question: Question | undefined;
  readonly answer: Answer | undefined;
  readonly error: Error | undefined;
  /** The answer is that of the question asked last. */
  readonly isCurrent: boolean;
}

interface Pair<Question, Answer> {
  readonly question: Question;
  readonly answer: Answer;
}

/**
 * Asks the server a question and keeps its answer together with it. `key` names what the answer rests on
 * besides the question (a revision, say); undefined asks nothing. The previous pair stays while the next one
 * is worked out.
 */
export function useAsked<Question, Answer>(
  key: readonly unknown[] | undefined,
  question: Question,
  ask: (question: Question) => Promise<Answer>,
): Asked<Question, Answer> {
  const { data, error, isLoading } = useSWR<Pair<Question, Answer>, Error>(
    key === undefined ? null : [...key, question],
    async () => ({ question, answer: await ask(question) }),
    { revalidateOnFocus: false, keepPreviousData: true },
  );
  const stands = key === undefined ? undefined : data;
  return {
    question: stands?.question,
    answer: stands?.answer,
    error,
    isCurrent: stands !== undefined && !isLoading && !error,
  };
}
