import type { Misfits } from './table.ts';

/**
 * A text that is not of its column's type: its rows, and the lines that it stands on, the first `MOST_LISTED`
 * of them.
 */
export interface MisfitText {
  rows: number;
  line: number;
  readonly lines: number[];
}

export type MisfitTexts = ReadonlyMap<string, MisfitText>;

/**
 * Rows that do not fit are listed one by one up to this number; where there are more, it is the type that
 * does not fit.
 */
const MOST_LISTED = 10_000;
const SAMPLED = 20;

export function noteMisfit(found: Map<string, MisfitText>, text: string, line: number): void {
  const known = found.get(text);
  if (!known) {
    found.set(text, { rows: 1, line, lines: [line] });
    return;
  }
  known.rows++;
  if (known.lines.length <= MOST_LISTED) known.lines.push(line);
}

/** All of several parts in their order; undefined where there are none. */
export function misfitsOf(parts: readonly MisfitTexts[]): Misfits | undefined {
  const all = new Map<string, { text: string; rows: number; line: number; lines: number[] }>();
  for (const part of parts) {
    for (const [text, { rows, line, lines }] of part) {
      const known = all.get(text);
      if (known) {
        known.rows += rows;
        if (known.lines.length <= MOST_LISTED) known.lines = known.lines.concat(lines);
      } else all.set(text, { text, rows, line, lines });
    }
  }
  if (all.size === 0) return undefined;
  const list = [...all.values()];
  const rows = list.reduce((sum, m) => sum + m.rows, 0);
  const sample = [...list].sort((a, b) => b.rows - a.rows || a.line - b.line).slice(0, SAMPLED);
  return {
    rows,
    distinct: list.length,
    sample: sample.map(({ text, rows: n, lines }) => ({ text, rows: n, lines: lines.slice(0, SAMPLED) })),
    ...(rows <= MOST_LISTED
      ? { all: list.flatMap(({ text, lines }) => lines.map((line) => ({ text, line }))) }
      : {}),
  };
}
