import { useCallback, useState } from 'react';
import type { AskedItem, Query } from '@crease/core/model';
import { useModel } from '../../../state/model.tsx';
import type { OpenedRow } from './drill.ts';
import { questionBelow } from './drill.ts';
import type { Below } from './lines.ts';
import { keyOfRow } from './lines.ts';

interface Opened {
  /** What the rows are opened of: another question, revision or order has its own. */
  readonly of: string;
  readonly rows: ReadonlyMap<string, Below>;
}

/** Rows of the answer to a question that are opened, with what is below them. */
export function useOpened(query: Query, texts: 'counting' | 'code points') {
  const { whole: model, questions } = useModel();
  const of = JSON.stringify([query, texts, questions.of]);
  const [opened, setOpened] = useState<Opened>({ of, rows: new Map() });
  const rows = opened.of === of ? opened.rows : new Map<string, Below>();

  const open = useCallback(
    (row: OpenedRow, item: AskedItem) => {
      const key = keyOfRow(row);
      const asked = questionBelow(query, row, item, model);
      const put = (below: Below) =>
        setOpened((before) => {
          const known = before.of === of ? before.rows : new Map<string, Below>();
          // One that was closed, or opened by another item, while it was worked out stays as it is.
          const isAwaited = below.answer === undefined && below.fault === undefined;
          if (!isAwaited && known.get(key)?.query !== asked) return before;
          return { of, rows: new Map(known).set(key, below) };
        });
      put({ item, query: asked });
      questions.query({ query: asked, texts }).then(
        (answer) => put({ item, query: asked, answer }),
        (error: Error) => put({ item, query: asked, fault: error.message }),
      );
    },
    [query, model, questions, texts, of],
  );
  const close = useCallback(
    (row: OpenedRow) =>
      setOpened((before) => {
        const left = new Map(before.of === of ? before.rows : []);
        left.delete(keyOfRow(row));
        return { of, rows: left };
      }),
    [of],
  );
  return { opened: rows, open, close };
}
