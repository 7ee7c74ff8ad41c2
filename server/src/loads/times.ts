import { Cron } from 'croner';
import { ServerError } from '../errors.ts';

/** Times of a load plan: minute, hour, day of the month, month, day of the week. */
const FIELDS = 5;
const SHOWN = 5;

/** Throws ServerError for a zone that there is not. */
export function checkTimeZone(timeZone: string): void {
  try {
    Intl.DateTimeFormat('en', { timeZone });
  } catch {
    throw new ServerError('wrong-shape', `"${timeZone}" is no time zone: write one like Europe/Berlin`);
  }
}

/** Throws ServerError for what is no cron expression of five fields, or one that never comes. */
export function cronOf(at: string, timeZone: string): Cron {
  const example = 'write five fields like 0 5 * * 1-5, which is five in the morning from Monday to Friday';
  if (at.trim().split(/\s+/).length !== FIELDS)
    throw new ServerError('wrong-shape', `"${at}" is no time to run at: ${example}`);
  try {
    return new Cron(at, { timezone: timeZone, paused: true });
  } catch (error) {
    throw new ServerError(
      'wrong-shape',
      `"${at}" is no time to run at (${(error as Error).message.replace(/^CronPattern: /, '')}): ${example}`,
    );
  }
}

/** The next times after a moment, in ISO 8601. */
export const nextTimes = (at: string, timeZone: string, after: Date): string[] =>
  cronOf(at, timeZone)
    .nextRuns(SHOWN, after)
    .map((time) => time.toISOString());

/** The last time that came after `after` and not after `now`; undefined where none did. */
export function lastDue(at: string, timeZone: string, after: Date, now: Date): Date | undefined {
  const cron = cronOf(at, timeZone);
  const first = cron.nextRun(after);
  if (!first || first > now) return undefined;
  // Of many that were missed only the last one counts: it is run once.
  const [last] = cron.previousRuns(1, new Date(now.getTime() + 1000));
  return last && last <= now && last > after ? last : first;
}
