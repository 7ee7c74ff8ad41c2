import type { ReactNode } from 'react';
import { WhenSeen } from './WhenSeen.tsx';

const CHUNK = 40;
/** Lists that are together no longer than this are drawn as a whole. */
const FEW = 120;

/** How many rows of each of several lists, one below the other, are drawn at once. */
export function drawnAtOnce(lengths: readonly number[]): number[] {
  if (lengths.reduce((a, b) => a + b, 0) <= FEW) return [...lengths];
  return lengths.map((_, i) => Math.max(0, CHUNK - lengths.slice(0, i).reduce((a, b) => a + b, 0)));
}

/**
 * The rows of a list that may be long, drawn by the chunk as they are scrolled to; `drawn` of them at once.
 */
export function InChunks<T>({
  list,
  rowHeight,
  drawn,
  as = 'div',
  children,
}: {
  list: readonly T[];
  /** About how high a row is, in pixels: it holds the place of those that are not drawn. */
  rowHeight: number;
  drawn: number;
  as?: 'div' | 'li';
  children: (item: T, index: number) => ReactNode;
}) {
  const starts = Array.from({ length: Math.ceil(list.length / CHUNK) }, (_, i) => i * CHUNK);
  return starts.map((start) => {
    const rows = list.slice(start, start + CHUNK);
    return (
      <WhenSeen key={start} height={rows.length * rowHeight} isNow={start < drawn} as={as}>
        {() => rows.map((item, i) => children(item, start + i))}
      </WhenSeen>
    );
  });
}
