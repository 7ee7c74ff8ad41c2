/** A file that cannot be read as asked for: the message says what, where and what to do. */
export class ReadError extends Error {}
