import useSWR from 'swr';
import type { SWRConfiguration, SWRResponse } from 'swr';
import type { AnswerOf, AnyEndpoint, ArgsOf, BodyOf } from '@crease/contract';
import { addressOf } from '@crease/contract';
import type { Rest } from './api.ts';
import { ask } from './api.ts';

type Small = string | number | boolean | undefined;

interface Options<E extends AnyEndpoint> extends SWRConfiguration<AnswerOf<E>, Error> {
  readonly body?: BodyOf<E>;
  /**
   * What the answer is of beside what is asked, such as a revision: where it changes, it is asked again.
   * Small, for it is read with every drawing.
   */
  readonly of?: Small | readonly Small[];
}

/**
 * What an endpoint answers; nothing is asked without `args`. The SWR key is the address alone where neither
 * body nor `of` are given: then the model's next revision has it asked again.
 */
export function useAnswer<E extends AnyEndpoint>(
  endpoint: E,
  args: ArgsOf<E> | undefined,
  { body, of, ...options }: Options<E> = {},
): SWRResponse<AnswerOf<E>, Error> {
  const address = args === undefined ? null : addressOf(endpoint, args);
  const key = address === null || (body === undefined && of === undefined) ? address : [address, of, body];
  return useSWR<AnswerOf<E>, Error>(key, () => ask(endpoint, args!, ...([body] as Rest<E>)), {
    revalidateOnFocus: false,
    ...options,
  });
}
