/**
 * Every error that the server answers with: code, HTTP status, and what one can do. Held against
 * docs/errors.md by a test.
 */
export const ERRORS = {
  'wrong-shape': { status: 400, remedy: 'send what the message asks for' },
  'too-large': { status: 413, remedy: 'send less at once' },
  'wrong-origin': { status: 403, remedy: 'use the address that the server printed' },
  'not-found': { status: 404, remedy: 'go back to the list: it may have been removed' },
  conflict: { status: 409, remedy: 'look at the newer revision and apply the edit again' },
  'rows-gone': { status: 409, remedy: 'load the rows again' },
  'not-yours': { status: 409, remedy: 'revert it by name, on the Loads view or in the history' },
  busy: { status: 503, remedy: 'wait a moment, then try again' },
  'given-up': { status: 408, remedy: 'ask again' },
  'disk-full': { status: 507, remedy: 'make room on the disk, then try again' },
  limit: { status: 422, remedy: 'ask for less, or look at the file with another program' },
  blocked: { status: 409, remedy: 'fix the broken claims, or waive them with a reason' },
  'cannot-answer': { status: 422, remedy: 'change what the message names' },
  'cannot-read': { status: 422, remedy: 'correct the file, or choose another dialect' },
  'cannot-reach': { status: 422, remedy: 'see to the connection, or to the account, then try again' },
  internal: { status: 500, remedy: 'try again; if it happens again, report what the log says' },
} as const;
export type ErrorCode = keyof typeof ERRORS;

/** An error for the person at the screen. */
export class ServerError extends Error {
  constructor(
    readonly code: ErrorCode,
    message: string,
    readonly extra: Record<string, unknown> = {},
  ) {
    super(message);
  }
}
