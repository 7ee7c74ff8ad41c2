import { workerData } from 'node:worker_threads';
import { workOn } from '@crease/core/query';
import type { HelperStart } from '../threads/scanHelper.ts';
import { help } from '../threads/scanHelper.ts';

/** The second thread of a thread that answers questions. */
help(workerData as HelperStart, workOn);
