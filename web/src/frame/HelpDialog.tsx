import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from '@headlessui/react';
import { Link } from 'react-router';
import type { Stage } from './stages.tsx';

const KEYS: readonly (readonly [string, string])[] = [
  ['Ctrl K', 'find an object, or do something'],
  ['Ctrl Z', 'undo'],
  ['Ctrl Shift Z', 'redo'],
  ['[', 'fold the left leaf away, or bring it back'],
  [']', 'fold the right leaf away, or bring it back'],
  ['?', 'this help'],
  ['Tab, Shift Tab', 'to the next control, to the one before'],
  ['Enter', 'keep what was typed, choose what is marked'],
  ['Esc', 'take back what was typed, close a dialog'],
  ['Arrows', 'between rows of grids, cells that are typed, and items of lists'],
];

/** What this stage is for, the keys, and the ways to the documentation and to the first look. */
export function HelpDialog({
  open,
  stage,
  onClose,
  onLook,
}: {
  open: boolean;
  stage: Stage | undefined;
  onClose: () => void;
  onLook: () => void;
}) {
  return (
    <Dialog open={open} onClose={onClose} className="relative z-50">
      <DialogBackdrop className="fixed inset-0 bg-ink/30" />
      <div className="fixed inset-0 flex items-center justify-center p-4">
        <DialogPanel className="w-[560px] max-w-full border border-ink bg-raised p-5">
          <DialogTitle className="text-[16px]">Help</DialogTitle>
          {stage && (
            <p className="mt-2">
              <b>{stage.name}.</b> {stage.about}{' '}
              <Link className="underline" to={`/docs/${stage.page}`} onClick={onClose}>
                More in the documentation
              </Link>
            </p>
          )}
          <dl className="mt-4 grid grid-cols-[130px_1fr] gap-x-3 gap-y-1">
            {KEYS.map(([keys, does]) => (
              <div key={keys} className="contents">
                <dt>
                  <kbd>{keys}</kbd>
                </dt>
                <dd>{does}</dd>
              </div>
            ))}
          </dl>
          <p className="mt-4 flex gap-2">
            <button className="btn" onClick={onLook}>
              Take the first look
            </button>
            <Link className="btn" to="/docs" onClick={onClose}>
              Documentation
            </Link>
            <span className="flex-1" />
            <button className="btn btn-act" autoFocus onClick={onClose}>
              Close
            </button>
          </p>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
