import { useEffect } from 'react';
import { useNavigate } from 'react-router';
import { X } from 'lucide-react';
import { api } from '@crease/contract';
import { ask } from '../state/api.ts';
import { useModel } from '../state/model.tsx';
import { JobSteps, leftText } from '../parts/JobSteps.tsx';
import { VerdictMark } from '../parts/Marks.tsx';
import { percent } from '../parts/text.ts';

/** Running jobs with their progress, and the last notice. */
export function Foot() {
  const { jobs, notice, tell, undo, fail } = useModel();
  const navigate = useNavigate();
  const running = jobs.filter((j) => j.state === 'running');
  // What the notice tells of: its steps, with what was expected beside what it took.
  const ended = jobs.find((j) => j.state !== 'running' && j.id === notice?.job);
  useEffect(() => {
    if (notice?.tone !== 'plain') return;
    const timer = setTimeout(() => tell(undefined), 9000);
    return () => clearTimeout(timer);
  }, [notice, tell]);
  if (!notice && running.length === 0) return null;
  return (
    <footer
      className="no-print flex shrink-0 flex-col border-t border-rule-strong bg-paper"
      aria-live="polite"
    >
      {running.map((job) => (
        <div key={job.id} className="flex items-center gap-3 px-4 py-1">
          <span>
            {job.says} <span className="text-soft">{job.detail}</span>
          </span>
          <progress value={job.progress} max={1} className="h-2 w-48" aria-label={job.says} />
          <span className="num">{percent(job.progress)}</span>
          <span className="text-soft">{leftText(job)}</span>
          <JobSteps job={job} />
          <button
            className="btn btn-bare"
            onClick={() => void ask(api.jobs.cancel, { job: job.id }).catch(fail)}
          >
            Cancel
          </button>
        </div>
      ))}
      {notice && (
        <div
          className={`flex items-center gap-3 px-4 py-[6px] ${notice.tone === 'wrong' ? 'bg-vermilion-wash' : ''}`}
          role={notice.tone === 'wrong' ? 'alert' : 'status'}
        >
          {notice.tone === 'wrong' && <VerdictMark verdict="broken" />}
          <span className="min-w-0 whitespace-pre-line">{notice.text}</span>
          {ended && <JobSteps job={ended} />}
          {notice.undo && (
            <button className="btn btn-bare underline" onClick={() => void undo()}>
              Undo
            </button>
          )}
          {notice.code === 'blocked' && (
            <button className="btn btn-bare underline" onClick={() => void navigate('claims')}>
              Show claims
            </button>
          )}
          <span className="flex-1" />
          <button className="btn btn-bare" onClick={() => tell(undefined)} aria-label="Close message">
            <X size={14} aria-hidden />
          </button>
        </div>
      )}
    </footer>
  );
}
