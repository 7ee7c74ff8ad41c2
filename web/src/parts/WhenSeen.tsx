import { useEffect, useRef, useState } from 'react';
import type { ReactNode } from 'react';

/** How far outside of the window something is drawn already. */
const AHEAD = '600px';

/**
 * Draws what is long to draw once it comes near to where it is seen; until then it takes the room of `height`
 * pixels. `isNow` draws it at once.
 */
export function WhenSeen({
  height,
  isNow,
  as: Place = 'div',
  children,
}: {
  height: number;
  isNow: boolean;
  /** What holds the room: an item where it stands in a list. */
  as?: 'div' | 'li';
  children: () => ReactNode;
}) {
  const [isSeen, setSeen] = useState(false);
  const box = useRef<HTMLElement>(null);
  const isDrawn = isSeen || isNow;
  useEffect(() => {
    if (isDrawn || !box.current) return;
    const observer = new IntersectionObserver(
      (entries) => {
        if (entries.some((e) => e.isIntersecting)) setSeen(true);
      },
      { rootMargin: AHEAD },
    );
    observer.observe(box.current);
    return () => observer.disconnect();
  }, [isDrawn]);
  const held = (element: HTMLElement | null) => {
    box.current = element;
  };
  return isDrawn ? children() : <Place ref={held} style={{ height }} aria-hidden />;
}
