import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { Bookmark } from 'lucide-react';
import { addressOf, api } from '@crease/contract';
import type { Trial } from '@crease/core/model';
import type { ClosedTrial } from '@crease/core/release';
import { useModel } from '../state/model.tsx';

/** Kept trials of a release: to open, and each answer at an address of its own for other programs. */
export function KeptAnswers({
  of,
  closed,
  onOpen,
  onClosed,
}: {
  of: { readonly model: string; readonly perspective: string };
  closed: readonly ClosedTrial[];
  onOpen: (trial: Trial) => void;
  /** Shows the answer of one whose question is not shown. */
  onClosed: (name: string) => void;
}) {
  const { model } = useModel();
  const all = [
    ...(model.trials ?? []).map((trial) => ({ ...trial, open: () => onOpen(trial) })),
    ...closed.map((trial) => ({ ...trial, open: () => onClosed(trial.name) })),
  ];
  const folders = Map.groupBy(all, (t) => t.folder ?? '');
  const address = (trial: string, as: 'json' | 'csv' | 'parquet') =>
    `/api${addressOf(api.released.trial, { ...of, trial, as })}`;
  return (
    <Popover className="relative">
      <PopoverButton className="btn">
        <Bookmark size={13} aria-hidden /> Kept trials
      </PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="z-40 flex max-h-[70vh] w-[340px] flex-col gap-2 overflow-auto border border-ink bg-raised p-3 text-[13px]"
      >
        {({ close }) => (
          <>
            {all.length === 0 && <p className="text-soft">No trial was released with this perspective.</p>}
            {[...folders].map(([title, list]) => (
              <section key={title} aria-label={title || 'Without a folder'}>
                {title !== '' && <h3 className="eyebrow">{title}</h3>}
                {list.map((trial) => (
                  <p key={trial.name} className="flex items-center gap-2">
                    <button
                      className="flex-1 truncate text-left hover:underline"
                      title={trial.name}
                      onClick={() => {
                        trial.open();
                        close();
                      }}
                    >
                      {trial.title ?? trial.name}
                    </button>
                    {(['json', 'csv', 'parquet'] as const).map((as) => (
                      <a
                        key={as}
                        className="text-soft underline hover:text-ink"
                        href={address(trial.name, as)}
                        aria-label={`${trial.title ?? trial.name} as ${as.toUpperCase()}`}
                      >
                        {as === 'parquet' ? 'Parquet' : as.toUpperCase()}
                      </a>
                    ))}
                  </p>
                ))}
              </section>
            ))}
          </>
        )}
      </PopoverPanel>
    </Popover>
  );
}
