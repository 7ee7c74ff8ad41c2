import { useModel } from '../state/model.tsx';
import { api } from '@crease/contract';
import { ask } from '../state/api.ts';
import { VerdictMark } from '../parts/Marks.tsx';

/** Says that claims could not be judged, and offers to judge them again; nothing where they could. */
export function JudgingFailed({ failure }: { failure: string | undefined }) {
  const { id, fail } = useModel();
  if (failure === undefined) return null;
  return (
    <p
      role="alert"
      className="mt-3 flex items-center gap-2 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2"
    >
      <VerdictMark verdict="broken" /> Judging failed: {failure}
      <button className="btn" onClick={() => void ask(api.claims.judge, { id }).catch(fail)}>
        Try again
      </button>
    </p>
  );
}
