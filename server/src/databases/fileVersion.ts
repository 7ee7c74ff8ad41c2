import { statSync } from 'node:fs';

/** What the files of a table are by now: it changes when they do. */
export const versionOfFiles = (files: readonly string[]): string =>
  files
    .map((file) => {
      const { mtimeMs, size, ino } = statSync(file);
      return `${ino} ${mtimeMs} ${size}`;
    })
    .join(', ');
