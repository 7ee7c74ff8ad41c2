import { availableParallelism } from 'node:os';
import { MessageChannel } from 'node:worker_threads';
import type { MessagePort } from 'node:worker_threads';
import { Piscina } from 'piscina';
import type { ReaderLimits } from './fileReaders.ts';
import { FileReaders } from './fileReaders.ts';
import { sharedMemory } from './sharedCodes.ts';
import type { Task } from './tasks.ts';
import { END } from './tasks.ts';
import { WorkFault } from './workFault.ts';
import type { TaskFault } from './worker.ts';

const isSource = import.meta.url.endsWith('.ts');

const makePool = (threads: number, codes: SharedArrayBuffer) =>
  new Piscina({
    workerData: codes,
    filename: new URL(isSource ? './worker.ts' : './worker.mjs', import.meta.url).href,
    minThreads: 1,
    maxThreads: threads,
    idleTimeout: 60_000,
    concurrentTasksPerWorker: 1,
    ...(isSource ? { execArgv: ['--import', 'tsx'] } : {}),
  });

type Plain<T> = T extends Task ? Omit<T, 'port' | 'stop'> : never;

/** A task that runs on; `stop` asks it to end early. */
export interface Running<T> {
  readonly done: Promise<T>;
  stop(): void;
}

const LONGEST_CLOSE_MS = 5_000;

/** How many threads read a file. */
export const READING_THREADS = Math.max(2, Math.min(8, availableParallelism()));

/**
 * Worker threads: two for questions and claims, which share decoded columns between tasks, and others for intake,
 * so that a long load does not keep anybody waiting.
 */
export class WorkPool {
  constructor(
    private readonly onBug: (error: unknown) => void = (error) =>
      void process.stderr.write(`${String(error)}\n`),
    readers?: ReaderLimits,
  ) {
    this.files = new FileReaders((error) => this.onBug(error), readers);
    // A thread that cannot start, for want of memory say, must not end the program.
    for (const threads of [this.questions, this.loads])
      threads.on('error', (error: unknown) => this.onBug(error));
  }

  /** Readers of files that may be damaged: processes of their own. */
  readonly files: FileReaders;
  private readonly codes = sharedMemory();
  private readonly questions = makePool(2, this.codes);
  private readonly loads = makePool(READING_THREADS, this.codes);

  /** Runs a task to its end. Throws WorkFault for what is the asker's, Error for a bug. */
  async run<T>(task: Plain<Task>): Promise<T> {
    return unwrap<T>((await this.questions.run(task)) as { result: T } | TaskFault);
  }

  /** As `run`, on the threads that read files. `memory` moves to the thread and is empty here afterwards. */
  async load<T>(task: Plain<Task>, memory: ArrayBuffer[] = []): Promise<T> {
    return unwrap<T>((await this.loads.run(task, { transferList: memory })) as { result: T } | TaskFault);
  }

  /** Runs a task that tells of its progress; on the threads that read files it keeps nobody from asking. */
  start<M, T>(
    task: Plain<Task>,
    onMessage: (message: M) => void,
    threads: 'questions' | 'loads' = 'questions',
  ): Running<T> {
    const stop = new Int32Array(new SharedArrayBuffer(4));
    const channel = new MessageChannel();
    // The result and the messages come on ways of their own: the task is done when both have ended.
    const told = new Promise<void>((resolve) =>
      channel.port1.on('message', (message: M | typeof END) => {
        if (message === END) return resolve();
        // A fault here must not end the process: it belongs to whoever listens.
        try {
          onMessage(message as M);
        } catch (error) {
          this.onBug(error);
        }
      }),
    );
    const done = this[threads]
      .run({ ...task, port: channel.port2, stop }, { transferList: [channel.port2 as MessagePort] })
      .then(async (answer) => {
        await told;
        return unwrap<T>(answer as { result: T } | TaskFault);
      })
      .finally(() => channel.port1.close());
    return { done, stop: () => void Atomics.store(stop, 0, 1) };
  }

  /** Ends all threads and readers. One that does not tell of its end is not waited for long: it ends with the program. */
  async close(): Promise<void> {
    const ended = Promise.all([this.questions.destroy(), this.loads.destroy(), this.files.close()]);
    let late: NodeJS.Timeout | undefined;
    const waited = new Promise<void>((resolve) => (late = setTimeout(resolve, LONGEST_CLOSE_MS)));
    await Promise.race([ended, waited]).finally(() => clearTimeout(late));
  }
}

/** Expected faults keep their kind; a bug keeps the trace that it has in its thread. */
function unwrap<T>(answer: { result: T } | TaskFault): T {
  if ('result' in answer) return answer.result;
  if (answer.fault !== 'bug') throw new WorkFault(answer.message, answer.fault);
  const error = new Error(answer.message);
  if (answer.trace !== undefined) error.stack = answer.trace;
  throw error;
}
