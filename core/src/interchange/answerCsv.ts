import type { NoMember, Others } from '../model/index.ts';
import type { Answer, AnswerMember } from '../query/index.ts';
import { csvLine, forSpreadsheet } from './csv.ts';

/** How an answer is written as delimited text. */
export interface AnswerWriting {
  /** What stands for a null value of a measure, or a null member; empty by default. */
  readonly null?: string;
  /** What stands in a cell of a measure that does not apply; empty by default. */
  readonly doesNotApply?: string;
  /** Whether the totals follow as a last line, its first member being `total`. */
  readonly totals?: boolean;
  /** Whether texts that a spreadsheet would run as a formula are kept from it. */
  readonly spreadsheet?: boolean;
  readonly delimiter?: string;
}

/** What is written for a member that is no value. */
export const noValueText = (member: NoMember | Others): string =>
  'others' in member ? 'all others' : 'null' in member ? 'no reference' : 'unmatched';

/**
 * An answer's cells as plain values, as lines of delimited text hold them: a header, the rows and, where
 * asked for, the totals.
 */
export function answerLines(
  answer: Answer,
  writing: AnswerWriting = {},
): (null | boolean | number | string)[][] {
  const first = answer.columns.filter((c) => c.kind !== 'measure').length;
  const out = answer.columns.map((c) => c.kind === 'measure' && answer.unreached.some(([m]) => m === c.name));
  const cell = (value: AnswerMember, i: number) => {
    if (out[i]) return writing.doesNotApply ?? null;
    if (value === null) return writing.null ?? null;
    const plain = typeof value === 'object' ? noValueText(value) : value;
    return writing.spreadsheet &&
      typeof plain === 'string' &&
      /^(text|boolean)$/.test(answer.columns[i]!.type)
      ? forSpreadsheet(plain)
      : plain;
  };
  const lines = [answer.columns.map((c) => c.name), ...answer.rows.map((row) => row.map(cell))];
  if (writing.totals && answer.totals && first > 0) {
    const members = Array.from({ length: first }, (_, i) => (i === 0 ? 'total' : null));
    lines.push([...members, ...answer.totals.map((value, i) => cell(value, first + i))]);
  }
  return lines;
}

/** An answer as delimited text. */
export const answerCsv = (answer: Answer, writing: AnswerWriting = {}): string =>
  answerLines(answer, writing)
    .map((line) => csvLine(line, writing.delimiter))
    .join('');
