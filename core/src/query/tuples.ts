/** Up to so many combinations of codes a number for each is kept; beyond, only for those that are met. */
const MOST_DENSE = 1 << 24;
/** From so many tuples on it is worth it. */
const WORTH_DENSE = 4096;

/** Numbers distinct tuples of codes in order of first appearance. Code i of a tuple lies below widths[i]. */
export class Tuples {
  private readonly ids = new Map<number | string, number>();
  /** Codes by position, then by tuple number. */
  readonly codes: number[][];
  private readonly combinations: number;
  /** Numbers of tuples + 1 by key, once there are many. */
  private dense: Int32Array | undefined;
  private count = 0;

  constructor(private readonly widths: readonly number[]) {
    this.codes = widths.map(() => []);
    this.combinations = widths.reduce((product, width) => product * Math.max(1, width), 1);
  }

  get size(): number {
    return this.count;
  }

  private get isNumeric(): boolean {
    return this.combinations <= Number.MAX_SAFE_INTEGER;
  }

  private key(code: (position: number) => number): number | string {
    if (this.isNumeric) {
      let key = 0;
      for (let p = 0; p < this.widths.length; p++) key = key * this.widths[p]! + code(p);
      return key;
    }
    // Numbers and commas only, so no two tuples share a text.
    return this.widths.map((_, p) => code(p)).join(',');
  }

  private known(key: number | string): number | undefined {
    if (!this.dense) return this.ids.get(key);
    const number = this.dense[key as number]!;
    return number === 0 ? undefined : number - 1;
  }

  /** The tuple's number; a new one is entered. */
  add(code: (position: number) => number): number {
    const key = this.key(code);
    const known = this.known(key);
    if (known !== undefined) return known;
    const id = this.count++;
    if (this.dense) this.dense[key as number] = id + 1;
    else this.ids.set(key, id);
    for (let p = 0; p < this.codes.length; p++) this.codes[p]!.push(code(p));
    if (!this.dense && this.count === WORTH_DENSE && this.combinations <= MOST_DENSE) this.becomeDense();
    return id;
  }

  private becomeDense(): void {
    this.dense = new Int32Array(this.combinations);
    for (const [key, id] of this.ids) this.dense[key as number] = id + 1;
    this.ids.clear();
  }

  /** The tuple's number, or -1 where it was never entered. */
  find(code: (position: number) => number): number {
    return this.known(this.key(code)) ?? -1;
  }
}
