import { Link, useLocation, useNavigate, useRouteError } from 'react-router';
import { PartFailed } from './Guard.tsx';

/** A screen that has failed. */
export function Failed() {
  return <Lost reason={useRouteError()} />;
}

/** A stage that has failed: the frame around it stays. */
export function StageFailed() {
  const reason = useRouteError();
  const navigate = useNavigate();
  const location = useLocation();
  return (
    <PartFailed
      what="This stage"
      reason={reason}
      onRetry={() => void navigate(location, { replace: true })}
    />
  );
}

/**
 * Shown where an address leads nowhere, or a screen has failed: what happened, and the way back. Nothing is
 * lost by it.
 */
export function Lost({ reason: error }: { reason?: unknown }) {
  const message =
    error instanceof Error
      ? error.message
      : error === undefined
        ? 'There is nothing at this address.'
        : String((error as { statusText?: string }).statusText ?? error);
  return (
    <main className="mx-auto flex h-full max-w-[60ch] flex-col justify-center gap-3 p-8">
      <h1 className="text-[20px]">This page cannot be shown</h1>
      <p className="whitespace-pre-line">{message}</p>
      <p className="text-soft">What was saved in the workspace is still there.</p>
      <p className="flex gap-2">
        <Link className="btn btn-act" to="/">
          All models
        </Link>
        <button className="btn" onClick={() => location.reload()}>
          Try again
        </button>
      </p>
    </main>
  );
}
