/** Slots of the memory. */
const [NEXT, DONE, STOPPED, SLOTS] = [0, 1, 2, 3];

/**
 * How far work is that several threads share, and whether it is to end. Between threads its `memory` travels;
 * each makes its own of that. What is done is counted in units of the work: kilobytes, or columns.
 */
export class SharedProgress {
  constructor(readonly memory: Int32Array = new Int32Array(new SharedArrayBuffer(4 * SLOTS))) {}

  /** The number of the next piece that nobody has taken, from 0. */
  take(): number {
    return Atomics.add(this.memory, NEXT, 1);
  }

  add(done: number): void {
    Atomics.add(this.memory, DONE, done);
  }

  get done(): number {
    return Atomics.load(this.memory, DONE);
  }

  stop(): void {
    Atomics.store(this.memory, STOPPED, 1);
  }

  get isStopped(): boolean {
    return Atomics.load(this.memory, STOPPED) !== 0;
  }
}
