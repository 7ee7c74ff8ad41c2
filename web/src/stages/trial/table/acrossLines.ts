import type { QueryState } from '@crease/contract';
import type { Query } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import type { OpenedRow } from './drill.ts';
import type { LaidOut, LaidOutRow } from './laidOut.ts';
import { laidOut, totalsBy } from './laidOut.ts';
import type { Below } from './lines.ts';
import { keyOfRow } from './lines.ts';

/** A line of an answer that is laid out across. */
export type AcrossLine =
  | {
      readonly kind: 'row';
      readonly row: OpenedRow;
      /** For each column of the whole answer, the row of this line's answer that holds it. */
      readonly places: LaidOutRow['places'];
      /** For each measure, the subtotal of the row. */
      readonly totals: readonly AnswerMember[];
      readonly answer: QueryState;
      /** The question and answer below, for a row that stands below another. */
      readonly of?: { readonly query: Query; readonly answer: QueryState };
      /** How many opened rows it stands below. */
      readonly depth: number;
      readonly below?: Below;
    }
  | { readonly kind: 'note'; readonly text: string; readonly depth: number };

/**
 * The lines of an answer that is laid out: its rows, and below each opened one the rows that it is made of.
 * They stand under the columns of the whole answer, which has one for each of theirs.
 */
export function acrossLines(
  answer: QueryState,
  query: Query,
  laid: LaidOut,
  opened: ReadonlyMap<string, Below>,
): AcrossLine[] {
  const items = query.by ?? [];
  return linesOf({ answer, laid, items, query, depth: 0, columns: laid.columns.map(textOf), opened });
}

interface Part {
  readonly answer: QueryState;
  readonly laid: LaidOut;
  readonly query: Query;
  readonly items: OpenedRow['items'];
  readonly depth: number;
  /** Of the whole answer, as texts. */
  readonly columns: readonly string[];
  readonly opened: ReadonlyMap<string, Below>;
  /** The row that these stand below. */
  readonly within?: OpenedRow;
}

const textOf = ({ named }: Pick<LaidOutRow, 'named'>): string => JSON.stringify(named);

function linesOf({ items, answer, laid, query, depth, columns, opened, within }: Part): AcrossLine[] {
  const totalOf = totalsBy(answer, items.length, query.across?.length ?? 0);
  const placeOf = new Map(laid.columns.map((column, i) => [textOf(column), i]));
  const wanted = within && JSON.stringify(within.named);
  const rows = laid.rows.filter(
    ({ named }) => !within || JSON.stringify(named.slice(0, within.named.length)) === wanted,
  );
  if (rows.length === 0 && within) return [{ kind: 'note', text: 'No rows below it.', depth }];
  return rows.flatMap((one): AcrossLine[] => {
    const row: OpenedRow = { items, members: one.members, named: one.named };
    const below = opened.get(keyOfRow(row));
    const own: AcrossLine = {
      kind: 'row',
      row,
      places: within ? columns.map((text) => one.places[placeOf.get(text) ?? -1]) : one.places,
      totals: query.measures.map((_, k) => totalOf(one.named, undefined, k)),
      answer,
      depth,
      ...(within ? { of: { query, answer } } : {}),
      ...(below ? { below } : {}),
    };
    if (!below) return [own];
    if (!below.answer) return [own, { kind: 'note', text: below.fault ?? 'Working …', depth: depth + 1 }];
    const next = [...items, below.item];
    const acrossCount = query.across?.length ?? 0;
    return [
      own,
      ...linesOf({
        answer: below.answer,
        laid: laidOut(below.answer, next.length, acrossCount),
        query: below.query,
        items: next,
        depth: depth + 1,
        columns,
        opened,
        within: row,
      }),
    ];
  });
}
