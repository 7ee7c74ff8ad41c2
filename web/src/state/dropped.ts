/**
 * Files that were dropped before there was a model for them: the Intake stage takes them once it is there.
 */
let waiting: readonly File[] = [];

export function dropFiles(files: readonly File[]): void {
  waiting = files;
}

/** What has been dropped and not been taken yet. */
export function takeDropped(): readonly File[] {
  const files = waiting;
  waiting = [];
  return files;
}
