import { useMemo } from 'react';
import type { QueryState } from '@crease/contract';
import { api } from '@crease/contract';
import type { Query } from '@crease/core/model';
import { readQuery } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useAsked } from '../../state/useAsked.ts';

/** A question that another one is compared with, and its answer as soon as it is there. */
export interface Beside {
  readonly query: Query;
  readonly answer?: QueryState;
  readonly fault?: string;
}

const NOTHING: Query = { measures: [] };

/** A question with all that the trial shows of its answer: totals, why members are missing, subtotals. */
export function askedFully(query: Query): Query {
  // All others are one member, whatever they are made of: they are not told apart.
  const hasOthers = (query.filters ?? []).some((f) => 'top' in f && f.others);
  return {
    ...query,
    totals: true,
    ...(hasOthers ? {} : { unmatched: 'apart' as const }),
    ...((query.across?.length ?? 0) > 0 ? { subtotals: true } : {}),
  };
}

/** Of when the answer beside is: a revision, with the rows of now or of then. */
export interface BesideOf {
  readonly revision: number;
  readonly rows: 'now' | 'then';
}

/** The question that the address puts beside the one that is asked; undefined where there is none. */
export function useBeside(
  text: string | null,
  of: BesideOf | undefined,
  texts: 'counting' | 'code points',
): Beside | undefined {
  const { id, state } = useModel();
  const read = useMemo(() => (text === null ? undefined : readBeside(text)), [text]);
  const asked = askedFully(read?.query ?? NOTHING);
  const { question, answer, error } = useAsked(
    // On rows of now an earlier revision may answer otherwise after each change.
    read?.query ? ['query', id, of?.rows === 'then' ? '' : state.revision.id, texts, of] : undefined,
    asked,
    (query, signal) => ask(api.questions.query, { id }, { query, texts, ...of }, signal),
  );
  if (!read) return undefined;
  const fault = read.fault ?? error?.message;
  const isOfIt = JSON.stringify(question) === JSON.stringify(asked);
  return {
    query: read.query ?? NOTHING,
    ...(answer && isOfIt ? { answer } : {}),
    ...(fault === undefined ? {} : { fault: `The question beside it cannot be answered: ${fault}` }),
  };
}

function readBeside(text: string): { query?: Query; fault?: string } {
  try {
    return { query: readQuery(text) };
  } catch (error) {
    return { fault: (error as Error).message };
  }
}
