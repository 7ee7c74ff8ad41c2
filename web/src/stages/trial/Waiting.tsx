import { useEffect, useState } from 'react';

/** An answer that is there sooner needs no word about it, in milliseconds. */
const SOON_MS = 400;
const TICK_MS = 100;

/** How long an answer has been on its way, with a way to give it up; nothing where it comes soon. */
export function Waiting({ onGiveUp }: { onGiveUp: () => void }) {
  const [elapsed, setElapsed] = useState(0);
  useEffect(() => {
    const start = performance.now();
    const timer = setInterval(() => setElapsed(performance.now() - start), TICK_MS);
    return () => clearInterval(timer);
  }, []);
  if (elapsed < SOON_MS) return null;
  return (
    <p role="status" className="flex items-center gap-3 border-b border-rule px-4 py-1 text-soft">
      <span aria-hidden className="h-[6px] w-[120px] overflow-hidden bg-rule">
        <span
          className="block h-full w-[40px] bg-ink"
          style={{ transform: `translateX(${((elapsed / 12) % 160) - 40}px)` }}
        />
      </span>
      <span>Working for {(elapsed / 1000).toFixed(1)} s</span>
      <button className="btn" onClick={onGiveUp}>
        Cancel
      </button>
    </p>
  );
}
