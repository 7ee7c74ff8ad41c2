import { useMemo, useRef } from 'react';
import type { KeyboardEvent } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { ArrowDown, ArrowUp, Download } from 'lucide-react';
import { api } from '@crease/contract';
import type { Profile, ProfileDocument } from '@crease/core/storage';
import { IconButton } from '../../parts/IconButton.tsx';
import { bytes, count, many, percent } from '../../parts/text.ts';
import { Blank } from '../../frame/Leaves.tsx';
import { saveFile } from '../../state/save.ts';
import { useModel } from '../../state/model.tsx';
import { useParam } from '../../state/selection.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import type { ListedColumn, ListHead } from './columnList.ts';
import {
  CHANGE,
  columnsCsv,
  fileBytes,
  HEADS,
  listedColumns,
  matchingColumns,
  PARQUET,
  sortedColumns,
} from './columnList.ts';
import { bitsText } from './Ruler.tsx';

const ROW = 28;

/** All columns of the model in one list: sorted, searched, saved. */
export function ColumnList({
  profile,
  before,
  fileName,
  selected,
  onSelect,
}: {
  profile: Profile;
  before: ProfileDocument | undefined;
  fileName: string;
  selected: string | undefined;
  onSelect: (path: string) => void;
}) {
  const [search, setSearch] = useParam('search');
  const [order = 'bytes', setOrder] = useParam('order');
  const { id } = useModel();
  const [beside, setBeside] = useParam('parquet');
  const isBeside = beside === '1';
  const parquet = useAnswer(api.storage.parquetSizes, isBeside ? { id } : undefined, {
    keepPreviousData: true,
  });
  const heads = useMemo(
    () => [
      ...HEADS.slice(0, 4),
      ...(isBeside ? PARQUET : []),
      ...HEADS.slice(4),
      ...(before ? [CHANGE] : []),
    ],
    [before, isBeside],
  );
  const all = useMemo(
    () => listedColumns(profile, before, isBeside ? parquet.data : undefined),
    [profile, before, isBeside, parquet.data],
  );
  const shown = useMemo(
    () => sortedColumns(matchingColumns(all, search ?? ''), heads, order),
    [all, search, heads, order],
  );
  return (
    <>
      <div className="flex items-center gap-3 border-b border-rule px-4 py-2">
        <input
          className="field w-[240px]"
          type="search"
          placeholder="Name, type, way of holding, use"
          aria-label="Search columns"
          value={search ?? ''}
          onChange={(e) => setSearch(e.target.value || undefined)}
        />
        <span className="flex-1 text-soft">
          {shown.length === all.length
            ? many(all.length, 'column')
            : `${count(shown.length)} of ${many(all.length, 'column')}`}
        </span>
        <ParquetSums all={all} isAsked={isBeside} isAsking={parquet.isLoading} error={parquet.error} />
        <button
          className="btn h-[24px]"
          aria-pressed={isBeside}
          onClick={() => setBeside(isBeside ? undefined : '1')}
          title="Writes every stored column as Parquet and measures it"
        >
          Beside Parquet
        </button>
        <IconButton
          label="Save the list as CSV"
          title="Save the list as CSV"
          disabled={shown.length === 0}
          onClick={() => saveFile(`${fileName}.columns.csv`, columnsCsv(shown, heads), 'text/csv')}
        >
          <Download size={14} aria-hidden />
        </IconButton>
      </div>
      {shown.length === 0 ? (
        <Blank>No column matches.</Blank>
      ) : (
        <Grid
          shown={shown}
          heads={heads}
          order={order}
          onOrder={(next) => setOrder(next === 'bytes' ? undefined : next)}
          selected={selected}
          onSelect={onSelect}
        />
      )}
    </>
  );
}

/** What all columns that are stored take here, and in Parquet. */
function ParquetSums({
  all,
  isAsked,
  isAsking,
  error,
}: {
  all: readonly ListedColumn[];
  isAsked: boolean;
  isAsking: boolean;
  error: Error | undefined;
}) {
  if (!isAsked) return null;
  if (error) return <span className="text-vermilion">{error.message}</span>;
  if (isAsking) return <span className="text-soft">writing Parquet …</span>;
  const both = all.filter((c) => c.parquet !== undefined);
  const sum = (of: (c: ListedColumn) => number) => both.reduce((n, c) => n + of(c), 0);
  return (
    <span className="tabular-nums">
      {bytes(sum(fileBytes))} here, {bytes(sum((c) => c.parquet!))} there
    </span>
  );
}

function Grid({
  shown,
  heads,
  order,
  onOrder,
  selected,
  onSelect,
}: {
  shown: readonly ListedColumn[];
  heads: readonly ListHead[];
  order: string;
  onOrder: (order: string) => void;
  selected: string | undefined;
  onSelect: (path: string) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const columns = heads.map((h) => h.width).join(' ');
  const at = shown.findIndex((c) => c.path === selected);
  const onKey = (event: KeyboardEvent) => {
    const by = { ArrowDown: 1, ArrowUp: -1, PageDown: 15, PageUp: -15 }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    const next = Math.min(shown.length - 1, Math.max(0, at + by));
    rows.scrollToIndex(next);
    onSelect(shown[next]!.path);
  };
  return (
    <div
      ref={box}
      role="grid"
      aria-label="All columns"
      aria-rowcount={shown.length + 1}
      tabIndex={0}
      onKeyDown={onKey}
      className="min-h-0 flex-1 overflow-auto"
    >
      <div className="w-max min-w-full">
        <div
          role="row"
          className="sticky top-0 z-10 grid border-b border-rule-strong bg-leaf"
          style={{ gridTemplateColumns: columns }}
        >
          {heads.map((h) => (
            <Head key={h.id} head={h} order={order} onOrder={onOrder} />
          ))}
        </div>
        <div role="rowgroup" style={{ height: rows.getTotalSize(), position: 'relative' }}>
          {rows.getVirtualItems().map(({ index, start }) => {
            const c = shown[index]!;
            const isSelected = c.path === selected;
            return (
              <div
                key={c.path}
                role="row"
                aria-selected={isSelected}
                aria-rowindex={index + 2}
                className={`absolute left-0 grid w-full cursor-pointer items-center border-b border-rule ${isSelected ? 'bg-raised' : ''}`}
                style={{ gridTemplateColumns: columns, height: ROW, transform: `translateY(${start}px)` }}
                onClick={() => onSelect(c.path)}
              >
                {heads.map((h) => (
                  <div
                    key={h.id}
                    role="gridcell"
                    className={`truncate px-2 ${h.id === 'column' ? `sticky left-0 pl-4 font-semibold ${isSelected ? 'bg-raised shadow-[inset_3px_0_0_var(--ink)]' : 'bg-leaf'}` : ''} ${isNumber(h) ? 'num' : ''}`}
                    title={h.id === 'uses' ? c.column.usedBy.join(', ') : titleOf(h, c)}
                  >
                    {shownAs(h, c)}
                  </div>
                ))}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

const isNumber = (h: ListHead): boolean => !['column', 'type', 'held'].includes(h.id);

function Head({ head, order, onOrder }: { head: ListHead; order: string; onOrder: (order: string) => void }) {
  const isSorted = order === head.id || order === `-${head.id}`;
  const turned = order.startsWith('-');
  const isDown = isNumber(head) !== turned;
  return (
    <div
      role="columnheader"
      aria-sort={isSorted ? (isDown ? 'descending' : 'ascending') : 'none'}
      className={`px-2 text-[11px] font-semibold text-soft ${head.id === 'column' ? 'sticky left-0 bg-leaf pl-4' : ''} ${isNumber(head) ? 'text-right' : ''}`}
      title={head.means}
    >
      <button
        className="inline-flex min-h-[24px] items-center gap-1 hover:underline"
        onClick={() => onOrder(isSorted && !turned ? `-${head.id}` : head.id)}
      >
        {head.says}
        {isSorted && (isDown ? <ArrowDown size={11} aria-hidden /> : <ArrowUp size={11} aria-hidden />)}
      </button>
    </div>
  );
}

const titleOf = (h: ListHead, c: ListedColumn): string =>
  h.as === 'bytes' ? `${count(Number(h.of(c)))} bytes` : h.id === 'column' ? c.path : '';

function shownAs(h: ListHead, c: ListedColumn): string {
  // What was not written as Parquet has no bytes there.
  if (PARQUET.includes(h) && c.parquet === undefined) return '';
  const value = h.of(c);
  if (typeof value === 'string') return value;
  if (h.as === 'bytes') return bytes(value);
  if (h.as === 'bits') return bitsText(value);
  if (h.as === 'share') return percent(value);
  if (h.as === 'change') {
    if (c.before === undefined) return 'new';
    return value === 0 ? '' : `${value > 0 ? '+' : '−'}${bytes(Math.abs(value))}`;
  }
  return count(value);
}
