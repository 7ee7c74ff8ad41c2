/** Numbers distinct tuples of codes in order of first appearance. Code i of a tuple lies below widths[i]. */
export class Tuples {
  private readonly ids = new Map<number | string, number>();
  /** Codes by position, then by tuple number. */
  readonly codes: number[][];
  private readonly numeric: boolean;

  constructor(private readonly widths: readonly number[]) {
    this.codes = widths.map(() => []);
    this.numeric =
      widths.reduce((product, width) => product * Math.max(1, width), 1) <= Number.MAX_SAFE_INTEGER;
  }

  get size(): number {
    return this.ids.size;
  }

  private key(code: (position: number) => number): number | string {
    if (this.numeric) {
      let key = 0;
      for (let p = 0; p < this.widths.length; p++) key = key * this.widths[p]! + code(p);
      return key;
    }
    // Numbers and commas only, so no two tuples share a text.
    return this.widths.map((_, p) => code(p)).join(',');
  }

  /** The tuple's number; a new one is entered. */
  add(code: (position: number) => number): number {
    const key = this.key(code);
    const known = this.ids.get(key);
    if (known !== undefined) return known;
    const id = this.ids.size;
    this.ids.set(key, id);
    this.codes.forEach((list, p) => list.push(code(p)));
    return id;
  }

  /** The tuple's number, or -1 where it was never entered. */
  find(code: (position: number) => number): number {
    return this.ids.get(this.key(code)) ?? -1;
  }
}
