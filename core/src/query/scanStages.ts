// What is told of scans while a question is explained. There is one question at a time in a thread.

/** One pass over the rows of a table. */
export interface ScanStage {
  readonly table: string;
  readonly rows: number;
  /** Rows that the conditions leave. */
  readonly left: number;
  readonly groups: number;
  /** Columns that rows are grouped by, and columns that conditions are about. */
  readonly by: readonly string[];
  readonly where: readonly string[];
  /** What is added up for each group. */
  readonly fields: number;
  /**
   * `compiled`: code made for the scan; `plain`: the executor for few rows; `laid out`: row by row, since
   * the scan cannot be planned.
   */
  readonly executor: 'compiled' | 'plain' | 'laid out';
  /** Whether groups are numbered by their place or, being too many for that, as they are met. */
  readonly grouping?: 'by place' | 'as met';
  /** Why a scan is not planned. */
  readonly because?: string;
  /** Masks of conditions, columns that are decoded or derived, codes of members. Milliseconds. */
  readonly prepareMs: number;
  readonly scanMs: number;
}

let hear: ((stage: ScanStage) => void) | undefined;

/** Tells `listener` of each scan that `work` makes. */
export function hearScans<T>(listener: (stage: ScanStage) => void, work: () => T): T {
  const before = hear;
  hear = listener;
  try {
    return work();
  } finally {
    hear = before;
  }
}

/** Tells of a scan; `stage` is made only where somebody hears it. */
export const tellScan = (stage: () => ScanStage): void => hear?.(stage());

/** `performance.now()`, which costs something, only where somebody hears. */
export const scanClock = (): number => (hear ? performance.now() : 0);
