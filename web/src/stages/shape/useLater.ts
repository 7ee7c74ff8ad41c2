import { useEffect, useState } from 'react';

const AFTER_MS = 250;

/**
 * A text that follows another when that has not changed for a moment: what one types is not tried at every
 * key.
 */
export function useLater(text: string): string {
  const [later, setLater] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setLater(text), AFTER_MS);
    return () => clearTimeout(timer);
  }, [text]);
  return later;
}
