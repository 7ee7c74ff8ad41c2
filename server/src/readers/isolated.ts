import type { Corrections } from '@crease/core/reading';
import { ReadError } from '@crease/core/reading';
import type { ParquetTask } from '../intake/storeParquet.ts';
import { isParquet } from '../sources/fileTable.ts';
import { previewOf } from '../sources/preview.ts';
import { systemFault } from '../systemFault.ts';
import { SharedProgress } from '../threads/sharedProgress.ts';

// A process of its own for files that may be damaged: whatever a reader does with one, it can be ended, and
// nobody else waits for it.

/** What the process is asked to do. */
export type IsolatedTask =
  | { readonly kind: 'preview'; readonly file: string; readonly corrected: Corrections }
  | { readonly kind: 'parquet'; readonly workspace: string; readonly task: Omit<ParquetTask, 'shared'> };

export type IsolatedMessage =
  | { readonly progress: number }
  | { readonly result: unknown }
  | {
      readonly fault: string;
      readonly kind: 'read' | 'busy' | 'disk-full';
      readonly trace?: string;
    };

const CANNOT_READ = 'the file cannot be read: it is damaged, or of another format';

const send = (message: IsolatedMessage): void => void process.send!(message);

/** What reads Parquet takes as long to load as all the rest: it is loaded where such a file is read. */
async function run(task: IsolatedTask): Promise<unknown> {
  if (task.kind === 'preview') {
    if (!isParquet(task.file)) return previewOf(task.file, task.corrected);
    const { previewParquet } = await import('../sources/parquetTable.ts');
    return previewParquet(task.file, task.corrected);
  }
  const { storeParquet } = await import('../intake/storeParquet.ts');
  const { openWorkspace, Tables } = await import('../store/index.ts');
  const connection = openWorkspace(task.workspace);
  const progress = new SharedProgress();
  const told = setInterval(() => send({ progress: progress.done }), 200);
  try {
    return await storeParquet(new Tables(connection), { ...task.task, shared: progress.memory });
  } finally {
    clearInterval(told);
    connection.close();
  }
}

process.on('message', (task: IsolatedTask) => {
  run(task).then(
    (result) => send({ result }),
    (error: unknown) => {
      // What a reader throws of its own accord is about its own inside: it says only that the file cannot be
      // read.
      const system = systemFault(error);
      if (system) send({ fault: system.message, kind: system.code });
      else if (error instanceof ReadError) send({ fault: error.message, kind: 'read' });
      else
        send({
          fault: CANNOT_READ,
          kind: 'read',
          trace: error instanceof Error ? (error.stack ?? error.message) : String(error),
        });
    },
  );
});
// What a library fails at behind its own answer, as with a file that is removed while it is read, belongs to
// the task that is asked anyway.
process.on('unhandledRejection', (error) =>
  send({
    fault: CANNOT_READ,
    kind: 'read',
    trace: error instanceof Error ? (error.stack ?? error.message) : String(error),
  }),
);
process.on('disconnect', () => process.exit(0));
