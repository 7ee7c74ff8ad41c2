import { MessageChannel, receiveMessageOnPort, Worker } from 'node:worker_threads';
import type { MessagePort } from 'node:worker_threads';
import type { ScanHelper, ScanPlan, ScanResult } from '@crease/core/query';

/** What both threads read and write of each other: whether the helper is there, and what it has done. */
const [READY, DONE, SLOTS] = [0, 1, 2];

/** A part of a scan as it is sent. */
export interface SentScan {
  readonly plan: ScanPlan;
  readonly number: number;
}

/** Longer than any part of a scan takes. */
const LONGEST_WAIT_MS = 60_000;

/** What comes back: a result, or what went wrong. */
export type EndedScan = { readonly result: ScanResult } | { readonly message: string };

export interface HelperStart {
  readonly port: MessagePort;
  readonly state: Int32Array;
}

/**
 * A second thread for the scans of this one. It is started with the first scan that could use it, and helps
 * from the time on when it is there. While it works this thread works too, and then waits for it.
 */
export class SecondThread implements ScanHelper {
  private readonly state = new Int32Array(new SharedArrayBuffer(SLOTS * 4));
  private port: MessagePort | undefined;
  private sent = 0;

  constructor(
    private readonly module: URL,
    private readonly onBug: (error: unknown) => void,
  ) {}

  private start(): void {
    const { port1, port2 } = new MessageChannel();
    const start: HelperStart = { port: port2, state: this.state };
    const thread = new Worker(this.module, { workerData: start, transferList: [port2] });
    thread.on('error', (error) => {
      Atomics.store(this.state, READY, 0);
      this.onBug(error);
    });
    // It ends with the thread that it helps.
    thread.unref();
    port1.unref();
    this.port = port1;
  }

  begin(plan: ScanPlan): (() => ScanResult | undefined) | undefined {
    if (!this.port) this.start();
    if (Atomics.load(this.state, READY) === 0) return undefined;
    const port = this.port!;
    const number = ++this.sent;
    const message: SentScan = { plan: { ...plan, inputs: plan.inputs.map(owned) }, number };
    port.postMessage(message);
    return () => {
      const waited = Atomics.wait(this.state, DONE, number - 1, LONGEST_WAIT_MS);
      const received = receiveMessageOnPort(port) as { message: EndedScan } | undefined;
      const ended = received?.message;
      if (ended && 'result' in ended) return ended.result;
      // It has failed, or does not answer: from now on this thread works alone.
      Atomics.store(this.state, READY, 0);
      this.onBug(new Error(`the second thread of a scan: ${ended?.message ?? waited}`));
      return undefined;
    };
  }
}

/** Of an array that is not shared only its own part is to be copied, not all that it is a part of. */
const owned = <T extends ScanPlan['inputs'][number]>(input: T): T =>
  input.buffer instanceof SharedArrayBuffer || input.byteLength === input.buffer.byteLength
    ? input
    : (input.slice() as T);

/** What the second thread does, all its life. */
export function help({ port, state }: HelperStart, run: (plan: ScanPlan) => ScanResult): void {
  port.on('message', ({ plan, number }: SentScan) => {
    let ended: EndedScan;
    try {
      ended = { result: run(plan) };
    } catch (error) {
      ended = { message: error instanceof Error ? error.message : String(error) };
    }
    port.postMessage(ended);
    Atomics.store(state, DONE, number);
    Atomics.notify(state, DONE);
  });
  Atomics.store(state, READY, 1);
}
