/** A set of whole numbers from 0 up to, not including, `span`, one bit each; afterwards it ranks its members. */
export class NumberSet {
  private readonly words: Uint32Array;
  /** Members before each word; made when first needed. */
  private before: Uint32Array | undefined;

  constructor(private readonly span: number) {
    this.words = new Uint32Array(Math.ceil(span / 32));
  }

  add(member: number): void {
    this.words[member >>> 5]! |= 1 << (member & 31);
  }

  count(): number {
    let count = 0;
    for (const word of this.words) count += bitsIn(word);
    return count;
  }

  /** How many members are smaller. Members must not be added any more. */
  rank(member: number): number {
    const before = (this.before ??= this.countBefore());
    return before[member >>> 5]! + bitsIn(this.words[member >>> 5]! & ((1 << (member & 31)) - 1));
  }

  /** Ascending. */
  members(): number[] {
    const found: number[] = [];
    for (let member = 0; member < this.span; member++) if (((this.words[member >>> 5]! >>> (member & 31)) & 1) !== 0) found.push(member);
    return found;
  }

  private countBefore(): Uint32Array {
    const before = new Uint32Array(this.words.length);
    let count = 0;
    this.words.forEach((word, i) => {
      before[i] = count;
      count += bitsIn(word);
    });
    return before;
  }
}

/** Bits set in a word (H. S. Warren, "Hacker's Delight", 2nd edition, section 5-1). */
function bitsIn(word: number): number {
  let n = word - ((word >>> 1) & 0x55555555);
  n = (n & 0x33333333) + ((n >>> 2) & 0x33333333);
  return Math.imul((n + (n >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
}
