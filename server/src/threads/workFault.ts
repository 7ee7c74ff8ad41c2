import type { TaskFault } from './protocol.ts';

/** A fault that the person who asked can do something about, by its kind. */
export class WorkFault extends Error {
  constructor(
    message: string,
    readonly fault: Exclude<TaskFault['fault'], 'bug'> = 'data',
  ) {
    super(message);
  }
}
