/** A small seeded generator (mulberry32, public domain, by Tommy Ettinger): the same seed gives the same cases everywhere. */
export class Random {
  private state: number;

  constructor(seed: number) {
    this.state = seed >>> 0;
  }

  /** From 0 up to, not including, 1. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) >>> 0;
    let t = this.state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  }

  /** A whole number from `low` up to and including `high`. */
  int(low: number, high: number): number {
    return low + Math.floor(this.next() * (high - low + 1));
  }

  chance(probability: number): boolean {
    return this.next() < probability;
  }

  pick<T>(list: readonly T[]): T {
    return list[this.int(0, list.length - 1)]!;
  }

  /** Up to `most` different entries. */
  some<T>(list: readonly T[], most: number): T[] {
    const left = [...list];
    const count = Math.min(left.length, this.int(0, most));
    return Array.from({ length: count }, () => left.splice(this.int(0, left.length - 1), 1)[0]!);
  }
}
