import { useMemo, useRef } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import type { QueryState } from '@crease/contract';
import type { AnswerColumn, AnswerMember } from '@crease/core/query';
import { formatValue, memberText } from '../../../parts/format.ts';
import type { ChosenCell } from '../CellEvidence.tsx';
import type { AcrossLine } from './acrossLines.ts';
import type { TableProps } from './AnswerTable.tsx';
import { acrossLines } from './acrossLines.ts';
import type { LaidOut } from './laidOut.ts';
import { laidOut, totalsBy } from './laidOut.ts';
import type { RowMembersProps } from './RowMembers.tsx';
import { RowMembers } from './RowMembers.tsx';
import { useOpened } from './useOpened.ts';

const ROW = 25;

/**
 * An answer whose members of `across` are columns: one column for each of them and each measure. Rows can be
 * opened in place.
 */
export function AcrossTable({ answer, query, texts, formats, chosen, onCell }: TableProps) {
  const box = useRef<HTMLDivElement>(null);
  const byCount = query.by?.length ?? 0;
  const acrossCount = query.across?.length ?? 0;
  const laid = useMemo(() => laidOut(answer, byCount, acrossCount), [answer, byCount, acrossCount]);
  const totalOf = useMemo(() => totalsBy(answer, byCount, acrossCount), [answer, byCount, acrossCount]);
  const { opened, open, close } = useOpened(query, texts);
  const lines = useMemo(() => acrossLines(answer, query, laid, opened), [answer, query, laid, opened]);
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 20,
  });
  const least = useMemo(
    () => leastWidths(answer, laid, byCount, acrossCount, formats),
    [answer, laid, byCount, acrossCount, formats],
  );
  const width = byCount * 160 + least.reduce((sum, one) => sum + one, 0);
  const gridTemplateColumns = [
    `repeat(${byCount}, minmax(160px, 220px))`,
    ...least.map((one) => `minmax(${one}px, 1fr)`),
  ].join(' ');
  const part: PartProps = {
    answer,
    laid,
    byCount,
    acrossCount,
    formats,
    chosen,
    onCell,
    totalOf,
    onOpen: open,
    onClose: close,
  };
  return (
    <div
      ref={box}
      className="min-h-0 flex-1 overflow-auto"
      role="table"
      aria-label="The answer"
      aria-rowcount={lines.length}
    >
      <div
        className="sticky top-0 z-10 grid border-b border-rule-strong bg-leaf font-semibold"
        style={{ gridTemplateColumns, minWidth: width }}
        role="row"
      >
        <Heads {...part} />
      </div>
      <div style={{ height: virtual.getTotalSize(), position: 'relative', minWidth: width }} role="rowgroup">
        {virtual.getVirtualItems().map((item) => (
          <div
            key={item.key}
            role="row"
            className="absolute left-0 grid w-full border-b border-rule hover:bg-raised"
            style={{ gridTemplateColumns, height: ROW, transform: `translateY(${item.start}px)` }}
          >
            <Cells {...part} line={lines[item.index]!} />
          </div>
        ))}
      </div>
      {laid.rows.length === 0 ? (
        <p className="p-4 text-soft">No rows under these conditions.</p>
      ) : (
        <div
          className="sticky bottom-0 z-10 grid border-t border-rule-strong bg-leaf font-semibold"
          style={{ gridTemplateColumns, minWidth: width }}
          role="row"
          title="Evaluated in its own context, not added up from the rows"
        >
          <Totals {...part} />
        </div>
      )}
    </div>
  );
}

/** Pixels of a character of a bold number, and of what is around it. */
const [CHARACTER, AROUND] = [8, 26];
/** So many rows are looked at for the longest number. */
const LOOKED_AT = 500;

/** Widths below which a number would be cut, by column of `across` (the totals last) and measure. */
function leastWidths(
  answer: QueryState,
  laid: LaidOut,
  byCount: number,
  acrossCount: number,
  formats: TableProps['formats'],
): number[] {
  const first = byCount + acrossCount;
  const measures = answer.columns.slice(first);
  const widthOf = (texts: readonly string[]) =>
    Math.max(84, texts.reduce((most, text) => Math.max(most, text.length), 0) * CHARACTER + AROUND);
  const text = (value: AnswerMember, k: number) =>
    formatValue(value, measures[k]!.type, formats[measures[k]!.name]);
  const totals = measures.map((_, k) => widthOf([text(answer.totals?.[k] ?? null, k)]));
  const shown = answer.subtotals?.find(({ by, across }) => by === 0 && across === acrossCount)?.rows ?? [];
  const columns = laid.columns.flatMap(({ members }, i) =>
    measures.map((_, k) => {
      const heads = members.map((member) => (typeof member === 'object' ? 'unmatched' : String(member)));
      const cells = laid.rows
        .slice(0, LOOKED_AT)
        .map(({ places }) => answer.rows[places[i] ?? -1]?.[first + k]);
      const ofColumn = shown.map((row) => row[row.length - measures.length + k]!);
      return widthOf([
        heads.join(' · '),
        ...[...cells, ...ofColumn].map((value) => (value === undefined ? '' : text(value, k))),
      ]);
    }),
  );
  return [...columns, ...totals];
}

interface PartProps extends Omit<TableProps, 'query' | 'texts'>, Pick<RowMembersProps, 'onOpen' | 'onClose'> {
  readonly laid: LaidOut;
  readonly byCount: number;
  readonly acrossCount: number;
  readonly totalOf: ReturnType<typeof totalsBy>;
}

const measuresOf = ({ answer, byCount, acrossCount }: PartProps): readonly AnswerColumn[] =>
  answer.columns.slice(byCount + acrossCount);

function Heads(props: PartProps) {
  const { answer, laid, byCount } = props;
  const measures = measuresOf(props);
  const text = (members: readonly AnswerMember[]) =>
    members.map((v, k) => memberText(v, answer.columns[byCount + k]!.type)).join(' · ');
  const columns = [...laid.columns.map(({ members }) => text(members)), 'total'];
  return (
    <>
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
      {columns.map((members, i) =>
        measures.map((m) => (
          <div
            key={`${i} ${m.name}`}
            role="columnheader"
            className="min-w-0 px-3 py-[4px] text-right text-[12px]"
            title={`${members} ${m.name}`}
          >
            <span className="block truncate">{members}</span>
            {measures.length > 1 && (
              <span className="block truncate text-[11px] font-normal text-soft">{m.name}</span>
            )}
          </div>
        )),
      )}
    </>
  );
}

function Cells({ line, ...props }: PartProps & { line: AcrossLine }) {
  if (line.kind === 'note')
    return (
      <div role="cell" className="px-6 leading-[24px] text-soft" style={{ gridColumn: '1 / -1' }}>
        {line.text}
      </div>
    );
  return <Row {...props} line={line} />;
}

function Row({ line, ...props }: PartProps & { line: Extract<AcrossLine, { kind: 'row' }> }) {
  const { laid, byCount, acrossCount, formats, chosen, onCell } = props;
  const measures = measuresOf(props);
  const { row, depth, below, answer, of } = line;
  // A row below an opened one stands by more items than the table has columns of members.
  const firstMeasure = row.items.length + acrossCount;
  const isOfLine = chosen?.of?.answer === of?.answer;
  return (
    <>
      <RowMembers
        row={row}
        depth={depth}
        below={below}
        answer={answer}
        byCount={byCount}
        onOpen={props.onOpen}
        onClose={props.onClose}
      />
      {laid.columns.map((_, i) =>
        measures.map((m, k) => {
          const at = line.places[i];
          const column = firstMeasure + k;
          const isHere = at !== undefined && isOfLine && chosen?.row === at && chosen.column === column;
          return (
            <div key={`${i} ${k}`} role="cell" className="num min-w-0">
              {at !== undefined && (
                <button
                  className={`num h-full w-full truncate px-3 ${isHere ? 'outline outline-2 -outline-offset-2 outline-ink' : ''}`}
                  onClick={() => onCell({ row: at, column, ...(of ? { of } : {}) })}
                >
                  {formatValue(answer.rows[at]![column]!, m.type, formats[m.name])}
                </button>
              )}
            </div>
          );
        }),
      )}
      {measures.map((m, k) => (
        <div key={m.name} role="cell" className="num truncate pl-1 pr-3 font-semibold leading-[24px]">
          <Total
            {...props}
            place={k}
            column={firstMeasure + k}
            of={of}
            subtotal={{ by: row.named, across: [], value: line.totals[k]! }}
          />
        </div>
      ))}
    </>
  );
}

function Totals(props: PartProps) {
  const { answer, laid, byCount, totalOf } = props;
  const columns = [...laid.columns.map((c) => c.named), undefined];
  return (
    <>
      {Array.from({ length: byCount }, (_, i) => (
        <div key={i} role="cell" className="px-3 py-[4px]">
          {i === 0 ? 'total' : ''}
        </div>
      ))}
      {columns.map((named, i) =>
        measuresOf(props).map((_, k) => {
          const value = named ? totalOf(undefined, named, k) : (answer.totals?.[k] ?? null);
          return (
            <div key={`${i} ${k}`} role="cell" className="num truncate py-[2px] pl-1 pr-3">
              <Total
                {...props}
                place={k}
                column={byCount + props.acrossCount + k}
                subtotal={{ by: [], across: named ?? [], value }}
              />
            </div>
          );
        }),
      )}
    </>
  );
}

interface TotalProps extends PartProps {
  readonly subtotal: NonNullable<ChosenCell['subtotal']>;
  /** Of the measures, and of the columns of the answer that it is of. */
  readonly place: number;
  readonly column: number;
  readonly of?: ChosenCell['of'] | undefined;
}

/** A total that can be asked about as any cell can. */
function Total({ subtotal, place, column, of, ...props }: TotalProps) {
  const { formats, chosen, onCell } = props;
  const { name, type } = measuresOf(props)[place]!;
  const isHere =
    chosen?.column === column &&
    chosen.of?.answer === of?.answer &&
    JSON.stringify(chosen.subtotal) === JSON.stringify(subtotal);
  return (
    <button
      className={`num min-h-[24px] w-full truncate ${isHere ? 'outline outline-2 outline-ink' : ''}`}
      onClick={() => onCell({ row: -1, column, subtotal, ...(of ? { of } : {}) })}
    >
      {formatValue(subtotal.value, type, formats[name])}
    </button>
  );
}
