import { useCallback, useEffect, useRef, useState } from 'react';
import { useSWRConfig } from 'swr';
import type { JobState, LiveEvent } from '@crease/contract';
import { addressOf, api } from '@crease/contract';
import { ApiError, thisWindow } from './api.ts';
import { useAnswer } from './useAnswer.ts';

/** A line at the foot of the frame: what just happened, or what went wrong. */
export interface Notice {
  readonly tone: 'plain' | 'wrong';
  readonly text: string;
  readonly undo?: boolean;
  /** Of an answer of the server that says no. */
  readonly code?: string;
  /** The job whose end it tells of. */
  readonly job?: string;
}

/**
 * A model with its claims and jobs, kept in step with the server's events, and the line at the foot. What was
 * asked of the model is asked again where its revision or its rows have changed.
 */
export function useLiveModel(id: number) {
  const { mutate: refresh } = useSWRConfig();
  const { data: state, error, mutate } = useAnswer(api.models.get, { id });
  const { data: claims, mutate: refreshClaims } = useAnswer(api.claims.get, state ? { id } : undefined);
  const [jobs, setJobs] = useState<readonly JobState[]>([]);
  const [notice, tell] = useState<Notice>();

  useEffect(() => {
    const events = new EventSource(`/api${addressOf(api.events.follow, { id })}`);
    let lost = false;
    events.onopen = () => {
      if (lost) void mutate(); // events may have been missed in between
      lost = false;
    };
    events.onerror = () => (lost = true);
    events.onmessage = (message: MessageEvent<string>) => {
      const event = JSON.parse(message.data) as LiveEvent;
      if (event.kind === 'revision') {
        void mutate();
        if (event.by !== thisWindow() && event.by !== '')
          tell({ tone: 'plain', text: `Changed in another window: ${event.says}` });
      } else if (event.kind === 'claims') void refreshClaims();
      else setJobs((before) => [...before.filter((j) => j.id !== event.job.id), event.job]);
    };
    return () => events.close();
  }, [id, mutate, refreshClaims]);

  // What is derived from the model is asked for again when the model has another revision.
  const revision = state?.revision.id;
  useEffect(() => {
    if (revision !== undefined)
      void refresh(
        (key) => typeof key === 'string' && key.startsWith(`/models/${id}/`) && !key.endsWith('/claims'),
      );
  }, [revision, id, refresh]);
  // Rows may come under a revision that stays, as those of the demo do: all that was asked is asked again.
  const rows = state?.stored.map((s) => `${s.name} ${s.rows} ${s.loadedAt}`).join();
  const seen = useRef(rows);
  useEffect(() => {
    if (rows === seen.current) return;
    const isFirst = seen.current === undefined;
    seen.current = rows;
    const isOf = (key: unknown) => typeof key === 'string' && key.startsWith(`/models/${id}/`);
    if (!isFirst) void refresh((key) => isOf(Array.isArray(key) ? key[0] : key));
  }, [rows, id, refresh]);

  const fail = useCallback((reason: unknown) => {
    if (reason instanceof DOMException && reason.name === 'AbortError') return;
    tell({
      tone: 'wrong',
      text: reason instanceof Error ? reason.message : String(reason),
      ...(reason instanceof ApiError ? { code: reason.detail.code } : {}),
    });
  }, []);
  return { state, error, mutate, claims, jobs, notice, tell, fail };
}
