import type { ChildProcess } from 'node:child_process';
import { fork } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import type { FilePreview } from '@crease/core/reading';
import type { Running } from '../threads/pool.ts';
import { programAt } from '../threads/programs.ts';
import { WorkFault } from '../threads/workFault.ts';
import type { IsolatedMessage, IsolatedTask } from './isolated.ts';

export interface ReaderLimits {
  /** For a preview; a load may take its time, and is cancelled by hand. */
  readonly previewMs: number;
  readonly memoryBytes: number;
}

const LIMITS: ReaderLimits = { previewMs: 30_000, memoryBytes: 2_000_000_000 };
/** How many readers work at once. */
const MOST_READERS = 2;
const WATCHED_MS = 200;
const PAGE_BYTES = 4096;

const program = fileURLToPath(programAt('isolated', import.meta.url));

interface Waiting {
  readonly task: IsolatedTask;
  readonly onProgress: (done: number) => void;
  readonly done: (result: unknown) => void;
  readonly failed: (error: Error) => void;
  reader: ChildProcess | undefined;
}

/**
 * Readers of files that may be damaged, each a process of its own: one that takes too long, or too much
 * memory, is ended, and a new one takes its place. Processes that are idle are kept for the next file.
 */
export class FileReaders {
  private readonly idle: ChildProcess[] = [];
  private readonly busy = new Map<ChildProcess, Waiting>();
  private readonly queue: Waiting[] = [];
  private closed = false;

  constructor(
    private readonly onBug: (error: unknown) => void,
    private readonly limits: ReaderLimits = LIMITS,
  ) {}

  /** Throws WorkFault: `read` for a file that cannot be read, `limit` for one that takes too much. */
  preview(task: Omit<Extract<IsolatedTask, { kind: 'preview' }>, 'kind'>): Promise<FilePreview> {
    return this.start<FilePreview>({ kind: 'preview', ...task }, () => undefined).done;
  }

  start<T>(task: IsolatedTask, onProgress: (done: number) => void): Running<T> {
    const waiting: Waiting[] = [];
    const done = new Promise<T>((resolve, reject) => {
      const one = {
        task,
        onProgress,
        done: resolve as (r: unknown) => void,
        failed: reject,
        reader: undefined,
      };
      waiting.push(one);
      this.queue.push(one);
      this.next();
    });
    return { done, stop: () => this.stop(waiting[0]!, new WorkFault('cancelled', 'read')) };
  }

  private stop(one: Waiting, error: Error): void {
    const at = this.queue.indexOf(one);
    if (at >= 0) this.queue.splice(at, 1);
    one.failed(error);
    if (one.reader) this.end(one.reader);
  }

  private next(): void {
    if (this.closed || this.busy.size >= MOST_READERS) return;
    const one = this.queue.shift();
    if (!one) return;
    const reader = this.idle.pop() ?? this.make();
    one.reader = reader;
    this.busy.set(reader, one);
    reader.ref();
    reader.send(one.task);
    this.watch(reader, one);
  }

  private make(): ChildProcess {
    const reader = fork(program, [], {
      serialization: 'advanced',
      execArgv: [],
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    });
    reader.on('message', (message) => this.take(reader, message as IsolatedMessage));
    const gone = () => {
      const one = this.busy.get(reader);
      this.forget(reader);
      one?.failed(new WorkFault('the file cannot be read: reading it ended the reader', 'read'));
      this.next();
    };
    // A process that cannot start, for want of memory say, tells of an error and of no end.
    reader.on('error', (error) => {
      this.onBug(error);
      gone();
    });
    reader.on('exit', gone);
    return reader;
  }

  private take(reader: ChildProcess, message: IsolatedMessage): void {
    const one = this.busy.get(reader);
    if (!one) return;
    if ('progress' in message) return one.onProgress(message.progress);
    this.busy.delete(reader);
    this.idle.push(reader);
    // An idle reader does not keep the program from ending.
    reader.unref();
    (reader.channel as { unref?: () => void } | null)?.unref?.();
    if ('result' in message) one.done(message.result);
    else {
      if (message.trace !== undefined) this.onBug(new Error(`a file could not be read: ${message.trace}`));
      one.failed(new WorkFault(message.fault, message.kind));
    }
    this.next();
  }

  private watch(reader: ChildProcess, one: Waiting): void {
    const begun = Date.now();
    const watch = setInterval(() => {
      if (this.busy.get(reader) !== one) return clearInterval(watch);
      const tooLong = one.task.kind === 'preview' && Date.now() - begun > this.limits.previewMs;
      const tooMuch = residentBytes(reader.pid) > this.limits.memoryBytes;
      if (!tooLong && !tooMuch) return;
      clearInterval(watch);
      const what = tooLong
        ? `took more than ${Math.round(this.limits.previewMs / 1000)} s`
        : `needed more than ${Math.round(this.limits.memoryBytes / 1e6)} MB of memory`;
      const message = `reading the file ${what} and was stopped: it may be damaged`;
      this.stop(one, new WorkFault(message, 'limit'));
    }, WATCHED_MS);
    watch.unref();
  }

  private end(reader: ChildProcess): void {
    this.forget(reader);
    reader.kill('SIGKILL');
    this.next();
  }

  private forget(reader: ChildProcess): void {
    this.busy.delete(reader);
    const at = this.idle.indexOf(reader);
    if (at >= 0) this.idle.splice(at, 1);
  }

  async close(): Promise<void> {
    this.closed = true;
    const all = [...this.idle, ...this.busy.keys()];
    for (const one of [...this.queue.splice(0), ...this.busy.values()])
      one.failed(new WorkFault('cancelled', 'read'));
    this.busy.clear();
    this.idle.length = 0;
    await Promise.all(
      all.map(
        (reader) =>
          new Promise<void>((gone) => {
            if (reader.exitCode !== null || reader.signalCode !== null) return gone();
            reader.ref(); // its end is waited for
            reader.once('exit', () => gone());
            reader.kill('SIGKILL');
          }),
      ),
    );
  }
}

/** Memory that a process has, in bytes; 0 where the system does not tell. */
function residentBytes(pid: number | undefined): number {
  try {
    return Number(readFileSync(`/proc/${pid}/statm`, 'latin1').split(' ')[1]) * PAGE_BYTES;
  } catch {
    return 0;
  }
}
