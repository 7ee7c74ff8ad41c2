import { PartsError } from '@crease/core/columns';
import { availableParallelism } from 'node:os';
import { workerData } from 'node:worker_threads';
import type { ThreadData } from '../threads/pool.ts';
import type { ReasonCode } from '@crease/core/query';
import { DataError, endsWhen, helpScansWith, Interrupted } from '@crease/core/query';
import { ReadError } from '@crease/core/reading';
import { DatabaseError } from '../databases/reader.ts';
import { systemFault } from '../systemFault.ts';
import { performing } from '../threads/performing.ts';
import { SecondThread } from '../threads/scanHelper.ts';
import type { TaskFault } from '../threads/protocol.ts';
import { TASKS } from './list.ts';
import { codes } from './modelRows.ts';

/** An error as plain data, by its kind. What no kind fits is a bug, and goes to the log with its trace. */
function faultOf(error: unknown): TaskFault {
  const message = error instanceof Error ? error.message : String(error);
  if (error instanceof DataError) return { fault: faultOfReason(error.reason.code), message };
  if (error instanceof Interrupted) return { fault: 'given-up', message };
  if (error instanceof PartsError) return { fault: 'data', message };
  if (error instanceof ReadError) return { fault: 'read', message };
  if (error instanceof DatabaseError) return { fault: 'database', message };
  const system = systemFault(error);
  if (system) return { fault: system.code, message: system.message };
  return { fault: 'bug', message, ...(error instanceof Error && error.stack ? { trace: error.stack } : {}) };
}

if (availableParallelism() > 1)
  helpScansWith(
    new SecondThread(
      new URL('./scanWorker.cjs', import.meta.url),
      (workerData as ThreadData).codes,
      (error) => void process.stderr.write(`${String(error)}\n`),
    ),
  );

const faultOfReason = (code: ReasonCode): 'limit' | 'passed-through' | 'data' =>
  code === 'limit' || code === 'passed-through' ? code : 'data';

/** A thread of the pool. */
export default performing(TASKS, faultOf, {
  begin: (isGivenUp) => {
    endsWhen(isGivenUp);
    codes.begin();
  },
  end: () => {
    codes.end();
    endsWhen(() => false);
  },
});
