import type { Answer } from '../query/index.ts';

/** How the answer to one question differs between two revisions. */
export interface AnswerChange {
  /** Rows of both together, each once. */
  readonly rows: number;
  /** Of these, rows with another number, or that only one of them has. */
  readonly differing: number;
  /** The first of them: its members, and its measures before and after; null where it is not there. */
  readonly first?: {
    readonly members: readonly unknown[];
    readonly before: readonly unknown[] | null;
    readonly after: readonly unknown[] | null;
  };
}

/**
 * Compares two answers to one question row by row, by their members. Measures are met by their places, so
 * that a new name is no difference.
 */
export function compareAnswers(before: Answer, after: Answer): AnswerChange {
  const widthOf = ({ columns }: Answer) => columns.filter((c) => c.kind !== 'measure').length;
  const rowsOf = (answer: Answer) => {
    const width = widthOf(answer);
    const found = new Map<string, { members: readonly unknown[]; values: readonly unknown[] }>();
    for (const row of answer.rows) {
      const members = row.slice(0, width);
      // Rows of equal labels keep their turn.
      let key = JSON.stringify(members);
      while (found.has(key)) key += ' again';
      found.set(key, { members, values: row.slice(width) });
    }
    return found;
  };
  const [was, now] = [rowsOf(before), rowsOf(after)];
  const keys = new Set([...was.keys(), ...now.keys()]);
  const differing = [...keys].filter(
    (key) => JSON.stringify(was.get(key)?.values) !== JSON.stringify(now.get(key)?.values),
  );
  const [first] = differing;
  return {
    rows: keys.size,
    differing: differing.length,
    ...(first === undefined
      ? {}
      : {
          first: {
            members: (now.get(first) ?? was.get(first))!.members,
            before: was.get(first)?.values ?? null,
            after: now.get(first)?.values ?? null,
          },
        }),
  };
}
