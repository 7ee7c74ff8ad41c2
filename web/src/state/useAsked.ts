import { useCallback, useEffect, useRef } from 'react';
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
  /** An answer is on its way. */
  readonly isAsking: boolean;
  /** Ends the server's work on it; `error` is an AbortError until it is asked again. */
  readonly giveUp: () => void;
  readonly askAgain: () => void;
}

interface Pair<Question, Answer> {
  readonly question: Question;
  readonly answer: Answer;
}

/**
 * Asks the server a question and keeps its answer together with it. `key` names what the answer rests on
 * besides the question (a revision, say); undefined asks nothing. The previous pair stays while the next one
 * is worked out; one that another one follows before it is answered is given up.
 */
export function useAsked<Question, Answer>(
  key: readonly unknown[] | undefined,
  question: Question,
  ask: (question: Question, signal: AbortSignal) => Promise<Answer>,
): Asked<Question, Answer> {
  const running = useRef<AbortController>(undefined);
  const { data, error, isLoading, isValidating, mutate } = useSWR<Pair<Question, Answer>, Error>(
    key === undefined ? null : [...key, question],
    async () => {
      running.current?.abort();
      const controller = new AbortController();
      running.current = controller;
      return { question, answer: await ask(question, controller.signal) };
    },
    {
      revalidateOnFocus: false,
      keepPreviousData: true,
      // What was given up is asked again where somebody comes back to it, and not by itself.
      shouldRetryOnError: (reason: Error) => reason.name !== 'AbortError',
    },
  );
  useEffect(() => () => running.current?.abort(), []);
  const giveUp = useCallback(() => running.current?.abort(), []);
  const askAgain = useCallback(() => void mutate(), [mutate]);
  const stands = key === undefined ? undefined : data;
  return {
    question: stands?.question,
    answer: stands?.answer,
    error: isValidating ? undefined : error,
    isCurrent: stands !== undefined && !isLoading && !error,
    isAsking: isValidating,
    giveUp,
    askAgain,
  };
}
