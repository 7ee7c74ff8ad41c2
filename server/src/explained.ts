import { PartsError } from '@crease/core/columns';
import { EditError } from '@crease/core/edit';
import { DocumentError } from '@crease/core/model';
import { DataError } from '@crease/core/query';
import { ReadError } from '@crease/core/reading';
import { DatabaseError } from './databases/reader.ts';
import { SecretError } from './databases/secrets.ts';
import type { ErrorCode } from './errors.ts';
import { ServerError } from './errors.ts';
import { ConflictError, NoModelError, RowsGoneError } from './store/index.ts';
import { systemFault } from './systemFault.ts';
import { WorkFault } from './threads/workFault.ts';

/** An error as it is told: `internal` is a fault of this program, whose own words stay in the log. */
export interface Explained {
  readonly code: ErrorCode;
  readonly message: string;
  readonly extra?: Record<string, unknown>;
}

const OF_WORK: Readonly<Record<WorkFault['fault'], ErrorCode>> = {
  data: 'cannot-answer',
  'passed-through': 'cannot-answer',
  read: 'cannot-read',
  database: 'cannot-reach',
  limit: 'limit',
  busy: 'busy',
  'disk-full': 'disk-full',
  'given-up': 'given-up',
};

/** What an error says to the person who asked. `largest` is the limit of a request's body, as it is shown. */
export function explained(error: unknown, largest: string): Explained {
  if (error instanceof ServerError) return { code: error.code, message: error.message, extra: error.extra };
  if (error instanceof ConflictError)
    return { code: 'conflict', message: error.message, extra: { revision: error.head.id } };
  if (error instanceof WorkFault) return { code: OF_WORK[error.fault], message: error.message };
  const code = ofOwn(error);
  if (code && error instanceof Error) return { code, message: error.message };
  return systemFault(error) ?? ofRequest(error, largest) ?? INTERNAL;
}

const INTERNAL: Explained = {
  code: 'internal',
  message: 'something went wrong in the server; nothing was changed. The log has the details',
};

function ofOwn(error: unknown): ErrorCode | undefined {
  if (error instanceof DocumentError) return 'wrong-shape';
  if (error instanceof DatabaseError || error instanceof SecretError) return 'cannot-reach';
  if (error instanceof RowsGoneError) return 'rows-gone';
  if (error instanceof NoModelError) return 'not-found';
  if (error instanceof ReadError) return 'cannot-read';
  if (error instanceof EditError || error instanceof DataError || error instanceof PartsError)
    return 'cannot-answer';
  return undefined;
}

/** What the web framework refuses: a body or an address that it cannot read, a header that does not fit. */
function ofRequest(error: unknown, largest: string): Explained | undefined {
  if (error instanceof URIError) return { code: 'wrong-shape', message: 'the address cannot be read' };
  const { type, status } = (error ?? {}) as { type?: string; status?: number };
  if (type === 'entity.too.large')
    return { code: 'too-large', message: `the request is larger than ${largest}: send less at once` };
  if (type === 'entity.parse.failed') return { code: 'wrong-shape', message: 'the request is not JSON' };
  if (status === 404) return { code: 'not-found', message: 'there is nothing at this address' };
  if (status !== undefined && status >= 400 && status < 500)
    return {
      code: 'wrong-shape',
      message: 'the request cannot be read: its headers do not fit what was sent',
    };
  return undefined;
}
