import { move, transferableSymbol, valueSymbol } from 'piscina';
import type { Ended, Order, Task, TaskFault, TaskList } from './protocol.ts';
import { END } from './protocol.ts';

/** An answer whose memory moves to the thread that asked. */
const moved = (value: Ended, memory: ArrayBuffer[]): Ended =>
  move({ [transferableSymbol]: memory, [valueSymbol]: value } as unknown as ArrayBuffer) as unknown as Ended;

/**
 * What a worker thread does with an order: it runs the task of that name. Expected errors come back as plain
 * data by `faultOf`; `around` is told of the beginning and the end of each task.
 */
export function performing(
  tasks: TaskList,
  faultOf: (error: unknown) => TaskFault,
  around: { begin(isGivenUp: () => boolean): void; end(): void },
): (order: Order) => Promise<Ended> {
  return async ({ kind, input, port, stop, givenUp }) => {
    const isGivenUp = () => givenUp !== undefined && Atomics.load(givenUp, 0) !== 0;
    // Nobody waited until its turn came.
    if (isGivenUp()) return { fault: 'given-up', message: 'the question was given up before its turn' };
    around.begin(isGivenUp);
    try {
      const { run, moves } = (await tasks[kind]!()) as unknown as Task<unknown, unknown, unknown>;
      const result = await run(input, {
        send: (message) => port?.postMessage(message),
        isStopped: () => stop !== undefined && Atomics.load(stop, 0) !== 0,
      });
      return moves ? moved({ result }, moves(result)) : { result };
    } catch (error) {
      return faultOf(error);
    } finally {
      around.end();
      port?.postMessage(END);
    }
  };
}
