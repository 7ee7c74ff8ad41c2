/** What time it is: one clock for all that asks, so that tests can set it. */
export interface Clock {
  now(): Date;
  /** The day in the machine's time zone, in ISO 8601. */
  today(): string;
}

const twoDigits = (n: number): string => String(n).padStart(2, '0');

export const clockOf = (now: () => Date): Clock => ({
  now,
  today: () => {
    const at = now();
    return `${at.getFullYear()}-${twoDigits(at.getMonth() + 1)}-${twoDigits(at.getDate())}`;
  },
});

export const SYSTEM_CLOCK = clockOf(() => new Date());

/** The time zone of this machine, for workspaces that say no other. */
export const ownTimeZone = (): string => Intl.DateTimeFormat().resolvedOptions().timeZone;
