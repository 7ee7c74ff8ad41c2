import type { ReactNode } from 'react';
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';

interface Props {
  readonly text: string;
  readonly onRemove: () => void;
  readonly onLeft?: (() => void) | undefined;
  /** What is shown to change the part, given a way to close it. */
  readonly editor?: ((close: () => void) => ReactNode) | undefined;
}

/** A part of the question: to change where it can be, to move, to remove. */
export function Part({ text, onRemove, onLeft, editor }: Props) {
  return (
    <span className="inline-flex items-center border-b-2 border-ink font-semibold">
      {onLeft && (
        <button
          className="px-1 text-soft hover:text-ink"
          onClick={onLeft}
          aria-label={`Move ${text} to the left`}
          title="Move to the left"
        >
          ‹
        </button>
      )}
      {editor ? (
        <Popover className="relative">
          <PopoverButton className="font-serif" title="Change">
            {text}
          </PopoverButton>
          <PopoverPanel
            anchor="bottom start"
            className="z-40 w-[340px] border border-ink bg-raised font-sans text-[13px] font-normal"
          >
            {({ close }) => <>{editor(close)}</>}
          </PopoverPanel>
        </Popover>
      ) : (
        text
      )}
      <button
        className="px-1 text-soft hover:text-vermilion"
        onClick={onRemove}
        aria-label={`Remove ${text}`}
        title="Remove"
      >
        ×
      </button>
    </span>
  );
}
