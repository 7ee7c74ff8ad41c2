import type { ReactNode } from 'react';

/**
 * A button that shows a picture only: its name is read aloud, and its title, which may say more, is shown on
 * hover.
 */
export function IconButton({
  label,
  title = label,
  onClick,
  disabled = false,
  children,
}: {
  label: string;
  title?: string;
  onClick: () => void;
  disabled?: boolean;
  children: ReactNode;
}) {
  return (
    <button className="btn btn-bare" onClick={onClick} disabled={disabled} aria-label={label} title={title}>
      {children}
    </button>
  );
}
