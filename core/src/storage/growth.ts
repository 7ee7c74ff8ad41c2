import type { Partition } from '../model/index.ts';

/** What a part weighs, as the parts of a table are listed. */
interface WeighedPart {
  readonly name: string;
  readonly rows: number;
  readonly bytes: number;
}

export interface Growth {
  /** How many whole parts the pace is taken from: the last ones. */
  readonly parts: number;
  readonly rowsAMonth: number;
  readonly bytesAMonth: number;
}

const MONTHS = { year: 12, quarter: 3, month: 1 } as const;
const PERIOD = /^\d{4}(-Q[1-4]|-\d\d)?$/;
/** Of so many months the pace is taken, as far as there are parts of them. */
const LOOKED_MONTHS = 24;
/** One part has no pace. */
const LEAST_PARTS = 2;

/**
 * At which pace a table grows by its parts: the mean of the last whole ones of up to two years. The last part
 * of all is left out, for it may not be whole yet, and so are rows without a period. It is an extrapolation:
 * that the next months will be like the last ones is assumed, not known. Undefined for parts of values, and
 * where there are too few.
 */
export function growthOf(parts: readonly WeighedPart[], every: Partition['every']): Growth | undefined {
  if (every === 'value') return undefined;
  const months = MONTHS[every];
  const whole = parts
    .filter((p) => PERIOD.test(p.name))
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .slice(0, -1)
    .slice(-Math.max(LEAST_PARTS, LOOKED_MONTHS / months));
  if (whole.length < LEAST_PARTS) return undefined;
  const sum = (of: (p: WeighedPart) => number) => whole.reduce((n, p) => n + of(p), 0);
  return {
    parts: whole.length,
    rowsAMonth: sum((p) => p.rows) / (whole.length * months),
    bytesAMonth: sum((p) => p.bytes) / (whole.length * months),
  };
}
