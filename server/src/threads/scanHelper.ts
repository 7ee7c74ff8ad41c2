import { MessageChannel, receiveMessageOnPort, Worker } from 'node:worker_threads';
import type { MessagePort } from 'node:worker_threads';
import type { ResultOf, ScanHelper, ScanPlan, ScanResult, ScanWork } from '@crease/core/query';

/** What both threads read and write of each other: whether the helper is there, and what it has done. */
const [READY, DONE, SLOTS] = [0, 1, 2];

type Input = ScanPlan['inputs'][number];
/** An array in the memory that the threads share, by its place. */
interface Place {
  readonly at: number;
  readonly length: number;
  readonly width: number;
}

/** A part of a scan as it is sent: what lies in shared memory is named, everything else is copied. */
interface SentScan {
  readonly work: ScanWork;
  /** In place of those of the plan. */
  readonly inputs: readonly (Input | Place)[];
}

/** Longer than any part of a scan takes. */
const LONGEST_WAIT_MS = 60_000;

/** What comes back: a result, or what went wrong. */
type EndedScan = { readonly result: ScanResult | Uint32Array } | { readonly message: string };

export interface HelperStart {
  readonly port: MessagePort;
  readonly state: Int32Array;
  readonly memory: SharedArrayBuffer;
}

/**
 * A second thread for the scans of this one. It is started when rows are read that it could help with, and
 * helps from the time on when it is there. While it works this thread works too, and then waits for it.
 */
export class SecondThread implements ScanHelper {
  private readonly state = new Int32Array(new SharedArrayBuffer(SLOTS * 4));
  private port: MessagePort | undefined;
  private sent = 0;

  constructor(
    private readonly module: URL,
    /** What decoded codes lie in. */
    private readonly memory: SharedArrayBuffer,
    private readonly onBug: (error: unknown) => void,
  ) {}

  /** Starts it: until it is there its thread reads the rows. */
  prepare(): void {
    if (this.port) return;
    const { port1, port2 } = new MessageChannel();
    const start: HelperStart = { port: port2, state: this.state, memory: this.memory };
    const thread = new Worker(this.module, { workerData: start, transferList: [port2], execArgv: [] });
    thread.on('error', (error) => {
      Atomics.store(this.state, READY, 0);
      this.onBug(error);
    });
    // It ends with the thread that it helps.
    thread.unref();
    port1.unref();
    this.port = port1;
  }

  begin<Work extends ScanWork>(work: Work): (() => ResultOf<Work> | undefined) | undefined {
    this.prepare();
    if (Atomics.load(this.state, READY) === 0) return undefined;
    const port = this.port!;
    const number = ++this.sent;
    const { plan } = work;
    const message: SentScan = {
      work: { ...work, plan: { ...plan, inputs: [] } },
      inputs: plan.inputs.map((input) => this.sendable(input)),
    };
    port.postMessage(message);
    return () => {
      const waited = Atomics.wait(this.state, DONE, number - 1, LONGEST_WAIT_MS);
      const received = receiveMessageOnPort(port) as { message: EndedScan } | undefined;
      const ended = received?.message;
      if (ended && 'result' in ended) return ended.result as ResultOf<Work>;
      // It has failed, or does not answer: from now on this thread works alone.
      Atomics.store(this.state, READY, 0);
      this.onBug(new Error(`the second thread of a scan: ${ended?.message ?? waited}`));
      return undefined;
    };
  }

  /** Of an array that is a part of another one only that part is to be copied. */
  private sendable(input: Input): Input | Place {
    const { buffer, byteOffset: at, length, BYTES_PER_ELEMENT: width } = input;
    if (buffer === this.memory) return { at, length, width };
    return input.byteLength === buffer.byteLength ? input : input.slice();
  }
}

/** What the second thread does, all its life. */
export function help(
  { port, state, memory }: HelperStart,
  run: (work: ScanWork) => ScanResult | Uint32Array,
): void {
  let received = 0;
  const answer = (ended: EndedScan): void => {
    port.postMessage(ended);
    Atomics.store(state, DONE, ++received);
    Atomics.notify(state, DONE);
  };
  const inputOf = (sent: Input | Place): Input => {
    if (ArrayBuffer.isView(sent)) return sent;
    const { at, length, width } = sent;
    const Codes = width === 1 ? Uint8Array : width === 2 ? Uint16Array : Uint32Array;
    // Typed arrays may lie in shared memory, whatever their type says.
    return new Codes(memory as unknown as ArrayBuffer, at, length);
  };
  port.on('message', ({ work, inputs }: SentScan) => {
    let ended: EndedScan;
    try {
      ended = { result: run({ ...work, plan: { ...work.plan, inputs: inputs.map(inputOf) } }) };
    } catch (error) {
      ended = { message: error instanceof Error ? error.message : String(error) };
    }
    answer(ended);
  });
  // The other side waits for an answer to this, too.
  port.on('messageerror', (error) => answer({ message: error.message }));
  Atomics.store(state, READY, 1);
}
