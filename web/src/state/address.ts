import { useCallback } from 'react';
import { useNavigate, useSearchParams } from 'react-router';

export interface AddressOptions {
  /** Whether the way back leads past this change. */
  readonly replace?: boolean;
}

export type ChangeAddress = (by: (next: URLSearchParams) => void, options?: AddressOptions) => void;

/**
 * What the address says behind its `?`, and a way to change it. A change begins with the address of then,
 * not with the one that the screen was drawn with: of two changes one after the other both stay, and so does
 * what was typed while an edit was on its way to the server.
 */
export function useAddress(): [URLSearchParams, ChangeAddress] {
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const change = useCallback<ChangeAddress>(
    (by, { replace = false } = {}) => {
      const next = new URLSearchParams(window.location.search);
      by(next);
      void navigate(`?${next}`, { replace, preventScrollReset: true });
    },
    [navigate],
  );
  return [params, change];
}
