import { useState } from 'react';
import type { BodyOf, JobState } from '@crease/contract';
import { api } from '@crease/contract';
import { ApiError, ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';

const POLL_MS = 150;

export interface Releasing {
  /** The last release of this window, while it runs and once it has ended. */
  readonly job: JobState | undefined;
  readonly isRunning: boolean;
  readonly release: (body: BodyOf<typeof api.targets.release>) => Promise<void>;
  readonly cancel: () => void;
}

/** Releases as a job that is watched to its end; one at a time. */
export function useRelease(onEnded: () => void): Releasing {
  const { id, fail, tell } = useModel();
  const [job, setJob] = useState<JobState>();
  const release = async (body: BodyOf<typeof api.targets.release>) => {
    try {
      let now = await ask(api.targets.release, { id }, body);
      for (setJob(now); now.state === 'running'; setJob(now)) {
        await new Promise((resume) => setTimeout(resume, POLL_MS));
        now = await ask(api.jobs.get, { job: now.id });
      }
      if (now.state === 'done') tell({ tone: 'plain', text: now.detail, job: now.id });
    } catch (reason) {
      if (!(reason instanceof ApiError)) throw reason;
      fail(reason);
    }
    onEnded();
  };
  return {
    job,
    isRunning: job?.state === 'running',
    release,
    cancel: () => void (job && ask(api.jobs.cancel, { job: job.id }).catch(fail)),
  };
}
