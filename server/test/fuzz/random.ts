import { Random as Seeded } from '@crease/demo';

/** Seeded random numbers with what the making of cases needs. */
export class Random extends Seeded {
  /** A whole number from `low` up to and including `high`. */
  int(low: number, high: number): number {
    return this.whole(low, high);
  }

  /** Up to `most` different entries. */
  some<T>(list: readonly T[], most: number): T[] {
    const left = [...list];
    const count = Math.min(left.length, this.int(0, most));
    return Array.from({ length: count }, () => left.splice(this.int(0, left.length - 1), 1)[0]!);
  }
}
