import { useMemo, useRef } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import type { QueryState } from '@crease/contract';
import type { Query, ValueFormat } from '@crease/core/model';
import { formatValue, memberText } from '../../parts/format.ts';
import type { ChosenCell } from './CellEvidence.tsx';
import { laidOut, totalsBy } from './laidOut.ts';

interface Props {
  readonly answer: QueryState;
  readonly query: Query;
  readonly formats: Readonly<Record<string, ValueFormat>>;
  readonly chosen: ChosenCell | undefined;
  readonly onCell: (cell: ChosenCell) => void;
}

const ROW = 25;

/** An answer whose members of `across` are columns: one column for each of them and each measure. */
export function AcrossTable({ answer, query, formats, chosen, onCell }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const byCount = query.by?.length ?? 0;
  const acrossCount = query.across?.length ?? 0;
  const { rows, columns } = useMemo(
    () => laidOut(answer, byCount, acrossCount),
    [answer, byCount, acrossCount],
  );
  const measures = answer.columns.slice(byCount + acrossCount);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 20,
  });
  const totalOf = useMemo(() => totalsBy(answer, byCount, acrossCount), [answer, byCount, acrossCount]);
  const values = (columns.length + 1) * measures.length;
  const template = `repeat(${byCount}, minmax(110px, 170px)) repeat(${values}, minmax(84px, 1fr))`;
  const width = byCount * 140 + values * 88;
  /** A total that can be asked about as any cell can. */
  const total = (subtotal: NonNullable<ChosenCell['subtotal']>, k: number) => {
    const place = byCount + acrossCount + k;
    const { name, type } = measures[k]!;
    const isHere = chosen?.column === place && JSON.stringify(chosen.subtotal) === JSON.stringify(subtotal);
    return (
      <button
        className={`num w-full truncate ${isHere ? 'outline outline-2 outline-ink' : ''}`}
        onClick={() => onCell({ row: -1, column: place, subtotal })}
      >
        {formatValue(subtotal.value, type, formats[name])}
      </button>
    );
  };
  return (
    <div
      ref={box}
      className="min-h-0 flex-1 overflow-auto"
      role="table"
      aria-label="The answer"
      aria-rowcount={rows.length}
    >
      <div
        className="sticky top-0 z-10 grid border-b border-rule-strong bg-leaf font-semibold"
        style={{ gridTemplateColumns: template, minWidth: width }}
        role="row"
      >
        {answer.columns.slice(0, byCount).map((c) => (
          <div
            key={c.name}
            role="columnheader"
            className="flex min-w-0 flex-col justify-end px-3 py-[4px] text-[12px]"
          >
            <span className="block truncate" title={c.name}>
              {c.name.split('.').at(-1)}
            </span>
          </div>
        ))}
        {columns.map(({ members }, i) =>
          measures.map((m) => (
            <div
              key={`${i} ${m.name}`}
              role="columnheader"
              className="min-w-0 px-3 py-[4px] text-right text-[12px]"
              title={`${members.map((v, k) => memberText(v, answer.columns[byCount + k]!.type)).join(' · ')} ${m.name}`}
            >
              <span className="block truncate">
                {members.map((v, k) => memberText(v, answer.columns[byCount + k]!.type)).join(' · ')}
              </span>
              {measures.length > 1 && (
                <span className="block truncate text-[11px] font-normal text-soft">{m.name}</span>
              )}
            </div>
          )),
        )}
        {measures.map((m) => (
          <div key={m.name} role="columnheader" className="min-w-0 px-3 py-[4px] text-right text-[12px]">
            <span className="block truncate">total</span>
            {measures.length > 1 && (
              <span className="block truncate text-[11px] font-normal text-soft">{m.name}</span>
            )}
          </div>
        ))}
      </div>
      <div style={{ height: virtual.getTotalSize(), position: 'relative', minWidth: width }} role="rowgroup">
        {virtual.getVirtualItems().map((item) => {
          const row = rows[item.index]!;
          return (
            <div
              key={item.key}
              role="row"
              className="absolute left-0 grid w-full border-b border-rule hover:bg-raised"
              style={{ gridTemplateColumns: template, height: ROW, transform: `translateY(${item.start}px)` }}
            >
              {row.members.map((value, i) => (
                <div key={i} role="cell" className="min-w-0 truncate px-3 leading-[24px]">
                  {value === null || typeof value === 'object' ? (
                    <i className="text-soft">{memberText(value, answer.columns[i]!.type)}</i>
                  ) : (
                    formatValue(value, answer.columns[i]!.type)
                  )}
                </div>
              ))}
              {columns.map((_, i) =>
                measures.map((m, k) => {
                  const at = row.places[i];
                  const place = byCount + acrossCount + k;
                  const here = at !== undefined && chosen?.row === at && chosen.column === place;
                  return (
                    <div key={`${i} ${k}`} role="cell" className="num min-w-0">
                      {at !== undefined && (
                        <button
                          className={`num h-full w-full truncate px-3 ${here ? 'outline outline-2 -outline-offset-2 outline-ink' : ''}`}
                          onClick={() => onCell({ row: at, column: place })}
                        >
                          {formatValue(answer.rows[at]![place]!, m.type, formats[m.name])}
                        </button>
                      )}
                    </div>
                  );
                }),
              )}
              {measures.map((m, k) => (
                <div key={m.name} role="cell" className="num truncate px-3 font-semibold leading-[24px]">
                  {total({ by: row.members, across: [], value: totalOf(row.members, undefined, k) }, k)}
                </div>
              ))}
            </div>
          );
        })}
      </div>
      {rows.length > 0 && (
        <div
          className="sticky bottom-0 grid border-t border-rule-strong bg-leaf font-semibold"
          style={{ gridTemplateColumns: template, minWidth: width }}
          role="row"
          title="Evaluated in its own context, not added up from the rows"
        >
          {Array.from({ length: byCount }, (_, i) => (
            <div key={i} role="cell" className="px-3 py-[4px]">
              {i === 0 ? 'total' : ''}
            </div>
          ))}
          {[...columns.map((c) => c.members), undefined].map((members, i) =>
            measures.map((_, k) => (
              <div key={`${i} ${k}`} role="cell" className="num truncate px-3 py-[4px]">
                {total(
                  {
                    by: [],
                    across: members ?? [],
                    value: members ? totalOf(undefined, members, k) : (answer.totals?.[k] ?? null),
                  },
                  k,
                )}
              </div>
            )),
          )}
        </div>
      )}
      {rows.length === 0 && <p className="p-4 text-soft">No rows under these conditions.</p>}
    </div>
  );
}
