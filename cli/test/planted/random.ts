/** Numbers that look random and are the same for a seed on every machine (mulberry32, public domain). */
export class Random {
  constructor(private state: number) {}

  /** A whole number from 0 to below `n`. */
  below(n: number): number {
    this.state = (this.state + 0x6d2b79f5) >>> 0;
    let t = this.state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return Math.floor((((t ^ (t >>> 14)) >>> 0) / 4_294_967_296) * n);
  }

  between(low: number, high: number): number {
    return low + this.below(high - low + 1);
  }

  chance(share: number): boolean {
    return this.below(1000) < share * 1000;
  }

  one<T>(list: readonly T[]): T {
    return list[this.below(list.length)]!;
  }

  /** Some of a list, in an order of their own. */
  some<T>(list: readonly T[], count: number): T[] {
    const left = [...list];
    return Array.from(
      { length: Math.min(count, left.length) },
      () => left.splice(this.below(left.length), 1)[0]!,
    );
  }
}
