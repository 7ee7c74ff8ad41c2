import { useMemo, useRef } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import type { QueryState } from '@crease/contract';
import type { Query, ValueFormat } from '@crease/core/model';
import { checkerOf } from '../../../parts/checkers.ts';
import { useModel } from '../../../state/model.tsx';
import type { ChosenCell } from '../CellEvidence.tsx';
import { Heads } from './Heads.tsx';
import { tableLines } from './lines.ts';
import { notAdded } from './notAdded.ts';
import type { LineProps } from './TableLine.tsx';
import { RowCells, SubtotalCells } from './TableLine.tsx';
import { TotalsLine } from './TotalsLine.tsx';
import { useOpened } from './useOpened.ts';

/** What a table shows, however it is laid out. */
export interface TableProps {
  readonly answer: QueryState;
  readonly query: Query;
  readonly texts: 'counting' | 'code points';
  readonly formats: Readonly<Record<string, ValueFormat>>;
  readonly chosen: ChosenCell | undefined;
  readonly onCell: (cell: ChosenCell) => void;
}

interface Props extends TableProps {
  readonly onSort: (sort: NonNullable<Query['sort']>) => void;
}

const ROW = 25;

/**
 * The answer as a table. Rows can be opened in place; cells of a measure that does not apply are hatched;
 * rows without a member stand last, by why they have none.
 */
export function AnswerTable({ answer, query, texts, formats, chosen, onCell, onSort }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const { opened, open, close } = useOpened(query, texts);
  const lines = useMemo(() => tableLines(answer, query, opened), [answer, query, opened]);
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 20,
  });
  const { whole } = useModel();
  const sums = useMemo(
    () => (answer.totals ? notAdded(answer, query, checkerOf(whole)) : []),
    [answer, query, whole],
  );
  const byCount = answer.columns.length - query.measures.length;
  // A state stands beside its number and must not cut it.
  const least = (i: number) => (answer.goals?.columns[i] ? 150 : 96);
  const columns = [
    `repeat(${byCount}, minmax(120px, 1.6fr))`,
    ...query.measures.map((_, i) => `minmax(${least(i)}px, 1fr)`),
  ].join(' ');
  const part: LineProps = { answer, byCount, formats, chosen, onCell, onOpen: open, onClose: close };
  return (
    <div
      className="flex min-h-0 flex-1 flex-col"
      role="table"
      aria-label="The answer"
      aria-rowcount={lines.length}
    >
      <div ref={box} className="min-h-0 overflow-auto [scrollbar-gutter:stable]" role="presentation">
        <div
          className="sticky top-0 z-10 grid border-b border-rule-strong bg-leaf font-semibold"
          style={{ gridTemplateColumns: columns }}
          role="row"
        >
          <Heads answer={answer} query={query} byCount={byCount} onSort={onSort} />
        </div>
        <div style={{ height: rows.getTotalSize(), position: 'relative' }} role="rowgroup">
          {rows.getVirtualItems().map((item) => {
            const line = lines[item.index]!;
            return (
              <div
                key={item.key}
                role="row"
                className={`absolute left-0 grid w-full border-b border-rule hover:bg-raised ${line.kind === 'subtotal' ? 'bg-leaf font-semibold' : ''}`}
                style={{
                  gridTemplateColumns: columns,
                  height: ROW,
                  transform: `translateY(${item.start}px)`,
                }}
              >
                {line.kind === 'row' ? (
                  <RowCells {...part} line={line} />
                ) : line.kind === 'subtotal' ? (
                  <SubtotalCells {...part} line={line} />
                ) : (
                  <div role="cell" className="px-6 leading-[24px] text-soft" style={{ gridColumn: '1 / -1' }}>
                    {line.text}
                  </div>
                )}
              </div>
            );
          })}
        </div>
        {answer.rows.length === 0 && <p className="p-4 text-soft">No rows under these conditions.</p>}
      </div>
      {answer.totals && byCount > 0 && (
        <TotalsLine
          answer={answer}
          byCount={byCount}
          formats={formats}
          sums={sums}
          chosen={chosen}
          onCell={onCell}
          columns={columns}
        />
      )}
    </div>
  );
}
