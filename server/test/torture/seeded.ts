/** Random choices that a seed repeats (mulberry32). */
export interface Seeded {
  /** At least 0, below 1. */
  next(): number;
  below(n: number): number;
  pick<T>(list: readonly T[]): T;
  chance(part: number): boolean;
}

export function seeded(seed: number): Seeded {
  let state = seed >>> 0;
  const next = () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
  const below = (n: number) => Math.floor(next() * n);
  return { next, below, pick: (list) => list[below(list.length)]!, chance: (part) => next() < part };
}

/** What an experiment has to say: how often it was tried, how often all was well, and what was not. */
export interface Outcome {
  readonly tried: number;
  readonly failed: readonly string[];
  readonly note?: string;
}
