import { useMemo } from 'react';
import type { Card, Edge } from './layout.ts';
import type { Bounds } from './view.ts';
import { drawnPart, tilesOf } from './view.ts';

/** What to draw of a diagram, worked out anew once the window has moved to another tile. */
export function useDrawn(
  cards: readonly Card[],
  edges: readonly Edge[],
  seen: Bounds,
  kept: string | undefined,
): { readonly cards: readonly Card[]; readonly edges: readonly Edge[] } {
  const { left, top, right, bottom } = tilesOf(seen);
  return useMemo(
    () => drawnPart({ cards, edges }, { left, top, right, bottom }, kept),
    [cards, edges, left, top, right, bottom, kept],
  );
}
