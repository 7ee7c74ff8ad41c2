/** Slots of the shared memory. */
const [TAKEN, BY_FIRST, BY_SECOND, SLOTS] = [0, 1, 2, 3];

/**
 * How two threads share the claims of one run: the first takes from the front and the second from the back,
 * until they meet.
 */
export class JudgingShare {
  constructor(readonly memory: Int32Array = new Int32Array(new SharedArrayBuffer(4 * SLOTS))) {}

  /** The place of the next of `count` claims that nobody has taken; undefined where there is none. */
  take(count: number, fromBack: boolean): number | undefined {
    // Each thread counts what it has taken; the sum of both never exceeds what there is.
    if (Atomics.add(this.memory, TAKEN, 1) >= count) return undefined;
    return fromBack
      ? count - 1 - Atomics.add(this.memory, BY_SECOND, 1)
      : Atomics.add(this.memory, BY_FIRST, 1);
  }

  /** Whether the second thread has had something to do. */
  get isHelped(): boolean {
    return Atomics.load(this.memory, BY_SECOND) > 0;
  }
}
