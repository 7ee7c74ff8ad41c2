import type { JobState } from '@crease/contract';
import { seconds } from './text.ts';

/** How long a job is expected to take from now on; nothing where that is not known, or was wrong. */
export function leftText({ state, elapsedMs = 0, estimatedMs }: JobState): string {
  if (state !== 'running' || estimatedMs === undefined) return '';
  const left = estimatedMs - elapsedMs;
  if (left < 0) return '';
  return left < 1000 ? 'nearly done' : `about ${seconds(left)} left`;
}

const STATES = { running: 'under way', done: 'done', ended: 'ended here' } as const;

/** The steps of a job with their states and times; of one that has ended, the estimate beside the fact. */
export function JobSteps({ job }: { job: JobState }) {
  const { steps = [], elapsedMs, estimatedMs, state } = job;
  if (steps.length === 0) return null;
  return (
    <details>
      <summary className="cursor-pointer text-soft">
        {steps.length} {steps.length === 1 ? 'step' : 'steps'}
        {state !== 'running' &&
          elapsedMs !== undefined &&
          `, ${seconds(elapsedMs)}${estimatedMs === undefined ? '' : ` (expected ${seconds(estimatedMs)})`}`}
      </summary>
      <ol className="max-h-[200px] overflow-auto" aria-label={`Steps of: ${job.says}`}>
        {steps.map((step, i) => (
          <li key={i} className="flex gap-3">
            <span className="min-w-[220px]">{step.name}</span>
            <span className="num w-[70px]">{seconds(step.ms)}</span>
            <span className="text-soft">{STATES[step.state]}</span>
          </li>
        ))}
      </ol>
    </details>
  );
}
