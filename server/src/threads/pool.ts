import { availableParallelism } from 'node:os';
import { MessageChannel } from 'node:worker_threads';
import { Piscina } from 'piscina';
import type { Ended, InputOf, MessageOf, Order, OutputOf, TaskList } from './protocol.ts';
import { END } from './protocol.ts';
import { sharedMemory } from './sharedCodes.ts';
import { WorkFault } from './workFault.ts';

/** What threads are given as they begin. */
export interface ThreadData {
  /** Memory for decoded codes, which all of them share. */
  readonly codes: SharedArrayBuffer;
  /** Whether workspaces are opened to be read alone. */
  readonly readsOnly: boolean;
}

const makeThreads = (worker: URL, threads: number, data: ThreadData) =>
  new Piscina({
    workerData: data,
    filename: worker.href,
    minThreads: 1,
    maxThreads: threads,
    idleTimeout: 60_000,
    concurrentTasksPerWorker: 1,
    // A thread runs what was built: a loader of the process would read its modules a second time.
    execArgv: [],
  });

/** A task that runs on; `stop` asks it to end early. */
export interface Running<T> {
  readonly done: Promise<T>;
  stop(): void;
}

const LONGEST_CLOSE_MS = 5_000;

/** How many threads read a file. */
export const READING_THREADS = Math.max(2, Math.min(8, availableParallelism()));

/**
 * Worker threads for a list of tasks: two for questions and claims, which share decoded columns between
 * tasks, and others for intake, so that a long load does not keep anybody waiting. `worker` is the module
 * that performs the tasks.
 */
export class WorkPool<Tasks extends TaskList> {
  private readonly questions: Piscina;
  private readonly loads: Piscina;
  /** Ends what runs while nobody asks anything. */
  private idle: AbortController | undefined;

  constructor(
    worker: URL,
    private readonly onBug: (error: unknown) => void = (error) =>
      void process.stderr.write(`${String(error)}\n`),
    readsOnly = false,
  ) {
    const data: ThreadData = { codes: sharedMemory(), readsOnly };
    this.questions = makeThreads(worker, 2, data);
    this.loads = makeThreads(worker, READING_THREADS, data);
    // A thread that cannot start, for want of memory say, must not end the program.
    for (const threads of [this.questions, this.loads])
      threads.on('error', (error: unknown) => this.onBug(error));
  }

  /**
   * Runs a task to its end, or until `signal` says that nobody waits for it. Throws WorkFault for what is the
   * asker's (`given-up` for the latter), Error for a bug.
   */
  async run<Kind extends keyof Tasks & string>(
    kind: Kind,
    input: InputOf<Tasks[Kind]>,
    signal?: AbortSignal,
  ): Promise<OutputOf<Tasks[Kind]>> {
    this.idle?.abort();
    return this.ask(kind, input, signal);
  }

  /**
   * Runs a task for which nobody waits: it ends as soon as anything else is asked, and throws WorkFault
   * `given-up` then.
   */
  async runIdle<Kind extends keyof Tasks & string>(
    kind: Kind,
    input: InputOf<Tasks[Kind]>,
  ): Promise<OutputOf<Tasks[Kind]>> {
    this.idle?.abort();
    const own = new AbortController();
    this.idle = own;
    return this.ask(kind, input, own.signal);
  }

  private async ask<Kind extends keyof Tasks & string>(
    kind: Kind,
    input: InputOf<Tasks[Kind]>,
    signal?: AbortSignal,
  ): Promise<OutputOf<Tasks[Kind]>> {
    return this.order(this.questions, kind, input, [], signal);
  }

  /** As `run`, on the threads that read files. `memory` moves to the thread and is empty here afterwards. */
  async load<Kind extends keyof Tasks & string>(
    kind: Kind,
    input: InputOf<Tasks[Kind]>,
    memory: ArrayBuffer[] = [],
    signal?: AbortSignal,
  ): Promise<OutputOf<Tasks[Kind]>> {
    return this.order(this.loads, kind, input, memory, signal);
  }

  private async order<Kind extends keyof Tasks & string>(
    threads: Piscina,
    kind: Kind,
    input: InputOf<Tasks[Kind]>,
    memory: ArrayBuffer[],
    signal: AbortSignal | undefined,
  ): Promise<OutputOf<Tasks[Kind]>> {
    const flag = signal && flagOf(signal);
    const order: Order = { kind, input, ...(flag ? { givenUp: flag.memory } : {}) };
    try {
      return unwrap((await threads.run(order, { transferList: memory })) as Ended);
    } finally {
      flag?.forget();
    }
  }

  /** Runs a task that tells of its progress; on the threads that read files it keeps nobody from asking. */
  start<Kind extends keyof Tasks & string>(
    kind: Kind,
    input: InputOf<Tasks[Kind]>,
    onMessage: (message: MessageOf<Tasks[Kind]>) => void,
    threads: 'questions' | 'loads' = 'questions',
  ): Running<OutputOf<Tasks[Kind]>> {
    if (threads === 'questions') this.idle?.abort();
    const stop = new Int32Array(new SharedArrayBuffer(4));
    const { port1, port2 } = new MessageChannel();
    // The result and the messages come on ways of their own: the task is done when both have ended.
    const told = new Promise<void>((resolve) =>
      port1.on('message', (message: MessageOf<Tasks[Kind]> | typeof END) => {
        if (message === END) return resolve();
        // A fault here must not end the process: it belongs to whoever listens.
        try {
          onMessage(message);
        } catch (error) {
          this.onBug(error);
        }
      }),
    );
    const order: Order = { kind, input, port: port2, stop };
    const done = this[threads]
      .run(order, { transferList: [port2] })
      .then(async (ended) => {
        await told;
        return unwrap<OutputOf<Tasks[Kind]>>(ended as Ended);
      })
      .finally(() => port1.close());
    return { done, stop: () => void Atomics.store(stop, 0, 1) };
  }

  /** Ends all threads. One that does not tell of its end is not waited for long: it ends with the program. */
  async close(): Promise<void> {
    const ended = Promise.all([this.questions.destroy(), this.loads.destroy()]);
    let late: NodeJS.Timeout | undefined;
    const waited = new Promise<void>((resolve) => (late = setTimeout(resolve, LONGEST_CLOSE_MS)));
    await Promise.race([ended, waited]).finally(() => clearTimeout(late));
  }
}

/** A flag that a thread can read, set when the signal comes. */
function flagOf(signal: AbortSignal): { readonly memory: Int32Array; readonly forget: () => void } {
  const memory = new Int32Array(new SharedArrayBuffer(4));
  const set = () => void Atomics.store(memory, 0, 1);
  if (signal.aborted) set();
  else signal.addEventListener('abort', set, { once: true });
  return { memory, forget: () => signal.removeEventListener('abort', set) };
}

/** Expected faults keep their kind; a bug keeps the trace that it has in its thread. */
function unwrap<T>(ended: Ended): T {
  if ('result' in ended) return ended.result as T;
  if (ended.fault !== 'bug') throw new WorkFault(ended.message, ended.fault);
  const error = new Error(ended.message);
  if (ended.trace !== undefined) error.stack = ended.trace;
  throw error;
}
