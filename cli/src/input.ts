import { readFileSync } from 'node:fs';
import { readModel } from '@crease/core/model';
import type { Model } from '@crease/core/model';
import { DATE, textReader } from '@crease/core/values';

/** A command that cannot be run: the message is for the person, the exit status is 2. */
export class CommandError extends Error {}

/** The text of a file; `-` is standard input. */
export function readText(file: string, what: string): string {
  try {
    return readFileSync(file === '-' ? 0 : file, 'utf8');
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new CommandError(
      code === 'ENOENT' ? `there is no ${what} ${file}` : `the ${what} ${file} cannot be read (${code})`,
    );
  }
}

export const loadModel = (file: string): Model => readModel(readText(file, 'model file'));

/**
 * The day from which periods count: the model's `asOf`, or else today in the machine's time zone. Days since
 * 1970-01-01.
 */
export function todayOf(model: Model, now = new Date()): number {
  if (model.asOf !== undefined) return textReader(DATE)(model.asOf) as number;
  return Math.floor(Date.UTC(now.getFullYear(), now.getMonth(), now.getDate()) / 86_400_000);
}
