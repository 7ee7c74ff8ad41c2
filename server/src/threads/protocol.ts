import type { MessagePort } from 'node:worker_threads';

/** What a thread offers to the task that runs in it. `Message` is what the task tells while it runs. */
export interface Ways<Message> {
  send(message: Message): void;
  /** Whether whoever began it asks it to end early. */
  isStopped(): boolean;
}

/** Work for a thread. Input and output travel as structured clones. */
export interface Task<Input, Output, Message = never> {
  run(input: Input, ways: Ways<Message>): Output | Promise<Output>;
  /** Memory of the output that moves to the thread that asked, rather than being copied. */
  moves?(output: Output): ArrayBuffer[];
}

/** A task, typed by what it runs. */
export const task = <Input, Output, Message = never>(
  run: Task<Input, Output, Message>['run'],
  moves?: (output: Output) => ArrayBuffer[],
): Task<Input, Output, Message> => ({ run, ...(moves ? { moves } : {}) });

/** All tasks of a pool by their names, each read when it is first asked for. */
export type TaskList = Readonly<Record<string, () => Promise<Task<never, unknown, never>>>>;

type TaskOf<T> = T extends () => Promise<infer Read> ? Read : never;
export type InputOf<T> = TaskOf<T> extends { run(input: infer I, ways: never): unknown } ? I : never;
export type OutputOf<T> = TaskOf<T> extends { run(input: never, ways: never): infer O } ? Awaited<O> : never;
export type MessageOf<T> = TaskOf<T> extends { run(input: never, ways: Ways<infer M>): unknown } ? M : never;

/** An error as plain data: which kind, and what it says. */
export interface TaskFault {
  /** What cannot be answered, read, reached, or is too much; or a fault of this program. */
  readonly fault:
    | 'data'
    | 'passed-through'
    | 'read'
    | 'database'
    | 'limit'
    | 'busy'
    | 'disk-full'
    | 'given-up'
    | 'bug';
  readonly message: string;
  /** Of a bug. */
  readonly trace?: string;
}

/** How a task ended. */
export type Ended = { readonly result: unknown } | TaskFault;

/** What is sent to a thread. `port` and `stop` are there where somebody listens. */
export interface Order {
  readonly kind: string;
  readonly input: unknown;
  readonly port?: MessagePort;
  readonly stop?: Int32Array;
  /** Not 0 once nobody waits for the answer: the work ends where it is. */
  readonly givenUp?: Int32Array;
}

/** The last message on a task's port. */
export const END = 'end';
