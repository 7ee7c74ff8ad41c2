import { memo, useCallback, useMemo, useRef, useState } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { VerdictMark } from '../../parts/Marks.tsx';
import { count } from '../../parts/text.ts';
import { formatValue } from '../../parts/format.ts';
import type { Entry, Line, UsedBy } from './catalog.ts';

/** What the columns of the catalog tell. */
export const CATALOG_VIEWS = ['formulas', 'texts', 'uses'] as const;
export type CatalogView = (typeof CATALOG_VIEWS)[number];

const COLUMNS: Readonly<Record<CatalogView, { readonly heads: readonly string[]; readonly widths: string }>> =
  {
    formulas: {
      heads: ['name', 'formula', 'shown as', 'used by'],
      widths: '42px minmax(150px, 1.2fr) minmax(180px, 2fr) 96px 72px',
    },
    texts: {
      heads: ['name', 'title', 'description', 'table'],
      widths: '42px minmax(150px, 1.2fr) minmax(110px, 1fr) minmax(160px, 1.8fr) 110px',
    },
    uses: {
      heads: ['name', 'uses', 'used by', 'table'],
      widths: '42px minmax(150px, 1.2fr) minmax(140px, 1.4fr) minmax(140px, 1.4fr) 110px',
    },
  };
const LINE = 17;
const MOST_LINES = 8;

interface Props {
  readonly lines: readonly Line[];
  readonly view: CatalogView;
  readonly usedBy: UsedBy;
  readonly uses: ReadonlyMap<string, readonly string[]>;
  readonly broken: ReadonlySet<string>;
  readonly chosen: ReadonlySet<string>;
  readonly current: string | undefined;
  readonly onChoose: (names: ReadonlySet<string>) => void;
  readonly onOpen: (entry: Entry) => void;
  readonly onPaste: (text: string) => void;
}

const heightOf = (line: Line, view: CatalogView): number => {
  if (line.kind === 'heading') return 27;
  if (view !== 'formulas') return 30;
  return 13 + LINE * Math.min(MOST_LINES, line.entry.formula.split('\n').length);
};

/**
 * The catalog as a grid of which only what is in view is made. Arrows move, Space chooses, Enter opens,
 * Ctrl+A chooses all.
 */
export function MeasureCatalog(props: Props) {
  const { lines, view, chosen, current, onChoose, onOpen, onPaste } = props;
  const cells = { view, uses: props.uses, usedBy: props.usedBy, broken: props.broken };
  const box = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState(0);
  const [anchor, setAnchor] = useState(0);
  // Another one has the places of all lines worked out anew: with each frame, while the list moves.
  const getItemKey = useCallback((i: number) => `${view} ${keyOf(lines[i]!, i)}`, [lines, view]);
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: (i) => heightOf(lines[i]!, view),
    getItemKey,
    overscan: 12,
  });
  const { heads, widths } = COLUMNS[view];
  const entryAt = (i: number) => {
    const line = lines[i];
    return line?.kind === 'entry' ? line.entry : undefined;
  };
  const shown = useMemo(
    () => lines.flatMap((line) => (line.kind === 'entry' ? [line.entry.name] : [])),
    [lines],
  );
  const all = shown.length > 0 && shown.every((name) => chosen.has(name));
  const setMany = (names: readonly string[], on: boolean) => {
    const next = new Set(chosen);
    for (const name of names)
      if (on) next.add(name);
      else next.delete(name);
    onChoose(next);
  };
  const chooseAt = (i: number, isRange: boolean) => {
    const entry = entryAt(i);
    if (!entry) return;
    const [from, to] = isRange ? [Math.min(anchor, i), Math.max(anchor, i)] : [i, i];
    const names = lines
      .slice(from, to + 1)
      .flatMap((line) => (line.kind === 'entry' ? [line.entry.name] : []));
    setMany(names, !chosen.has(entry.name));
    setAnchor(i);
  };
  const moveTo = (i: number, way: number) => {
    let next = Math.min(lines.length - 1, Math.max(0, i));
    while (next > 0 && next < lines.length - 1 && !entryAt(next)) next += way;
    if (!entryAt(next)) return;
    setAt(next);
    rows.scrollToIndex(next);
  };
  const onKey = (e: React.KeyboardEvent<HTMLDivElement>) => {
    if (e.target !== e.currentTarget) return;
    const page = Math.max(1, Math.floor((box.current?.clientHeight ?? 300) / 40));
    const steps: Readonly<Record<string, number>> = {
      ArrowDown: 1,
      ArrowUp: -1,
      PageDown: page,
      PageUp: -page,
    };
    const step = steps[e.key];
    if (step !== undefined) moveTo(at + step, Math.sign(step));
    else if (e.key === 'Home') moveTo(0, 1);
    else if (e.key === 'End') moveTo(lines.length - 1, -1);
    else if (e.key === ' ') chooseAt(at, e.shiftKey);
    else if (e.key === 'Enter') {
      const entry = entryAt(at);
      if (entry) onOpen(entry);
    } else if (e.key === 'a' && (e.ctrlKey || e.metaKey)) setMany(shown, !all);
    else return;
    e.preventDefault();
  };
  return (
    <div
      ref={box}
      role="grid"
      aria-label="Catalog"
      aria-rowcount={lines.length}
      aria-multiselectable
      aria-activedescendant={entryAt(at) ? `entry-${at}` : undefined}
      tabIndex={0}
      className="min-h-0 flex-1 overflow-auto bg-leaf"
      onKeyDown={onKey}
      onPaste={(e) => {
        if (e.target instanceof HTMLInputElement) return;
        e.preventDefault();
        onPaste(e.clipboardData.getData('text/plain'));
      }}
    >
      <CatalogHead widths={widths} all={all} setMany={setMany} shown={shown} heads={heads} view={view} />
      <div role="rowgroup" style={{ height: rows.getTotalSize(), position: 'relative' }}>
        {rows.getVirtualItems().map(({ index, start, size, key }) => {
          const line = lines[index]!;
          const place = { height: size, transform: `translateY(${start}px)` };
          if (line.kind === 'heading')
            return <HeadingRow key={key} text={line.text} entries={line.count} place={place} />;
          const { entry } = line;
          return (
            <EntryRow
              key={key}
              index={index}
              chosen={chosen}
              entry={entry}
              current={current}
              at={at}
              place={place}
              widths={widths}
              setAt={setAt}
              onOpen={onOpen}
              chooseAt={chooseAt}
              cells={cells}
            />
          );
        })}
      </div>
      {lines.length === 0 && <p className="p-4 text-soft">Nothing matches.</p>}
    </div>
  );
}

const keyOf = (line: Line, i: number): string =>
  line.kind === 'heading' ? `heading ${line.text}` : `${line.entry.kind} ${line.entry.name} ${i}`;

type CellProps = Pick<Props, 'view' | 'uses' | 'usedBy' | 'broken'>;

/** What is told of an entry; drawn once for as long as it is the same, also while the list moves. */
const EntryCells = memo(function EntryCells({
  entry,
  view,
  uses,
  usedBy,
  broken,
}: CellProps & { entry: Entry }) {
  const own = entry.name.toLowerCase();
  const users = usedBy.get(own) ?? [];
  const name = (
    <div
      role="gridcell"
      className={`truncate px-2 font-semibold ${entry.kind === 'period' ? 'pl-6' : ''}`}
      title={[entry.name, entry.title, entry.description, entry.hidden ? 'hidden' : '']
        .filter(Boolean)
        .join(' · ')}
    >
      {entry.kind === 'period' ? entry.name.slice(entry.base!.length + 2) : entry.name}{' '}
      {broken.has(own) && <VerdictMark verdict="broken" size={10} />}
      {entry.hidden && <span className="text-[11px] font-normal text-soft">hidden</span>}
    </div>
  );
  const text = (value: string, key: string) => (
    <div key={key} role="gridcell" className="truncate px-2 text-soft" title={value}>
      {value}
    </div>
  );
  if (view === 'texts')
    return (
      <>
        {name}
        {text(entry.title, 'title')}
        {text(entry.description, 'description')}
        {text(entry.table, 'table')}
      </>
    );
  if (view === 'uses')
    return (
      <>
        {name}
        {text((uses.get(own) ?? []).join(', '), 'uses')}
        {text(users.join(', '), 'used by')}
        {text(entry.table, 'table')}
      </>
    );
  return (
    <>
      {name}
      <pre
        role="gridcell"
        className="overflow-hidden px-2 font-mono text-[12px] leading-[17px] text-soft"
        title={entry.formula}
      >
        {entry.formula}
      </pre>
      <div role="gridcell" className="num truncate px-2 text-right text-soft">
        {entry.format === undefined ? '' : formatValue(1234.5, 'decimal(12,3)', entry.format)}
      </div>
      <div role="gridcell" className="num px-2 text-right text-soft" title={users.join(', ')}>
        {users.length === 0 ? '' : count(users.length)}
      </div>
    </>
  );
});

/** The headings of the catalog. */
function CatalogHead({
  widths,
  all,
  setMany,
  shown,
  heads,
  view,
}: {
  widths: string;
  all: boolean;
  setMany: (names: readonly string[], on: boolean) => void;
  shown: readonly string[];
  heads: readonly string[];
  view: 'formulas' | 'texts' | 'uses';
}) {
  return (
    <div
      role="row"
      className="sticky top-0 z-10 grid items-center border-b border-rule-strong bg-leaf text-[12px] font-semibold"
      style={{ gridTemplateColumns: widths }}
    >
      <div role="columnheader" className="pl-4">
        <input
          type="checkbox"
          aria-label="Choose all shown"
          checked={all}
          onChange={(e) => setMany(shown, e.target.checked)}
        />
      </div>
      {heads.map((head) => (
        <div
          key={head}
          role="columnheader"
          className={`truncate px-2 py-[5px] ${head === 'used by' && view === 'formulas' ? 'text-right' : ''}`}
        >
          {head}
        </div>
      ))}
    </div>
  );
}

/** One entry of the catalog. */
function EntryRow({
  index,
  chosen,
  entry,
  current,
  at,
  place,
  widths,
  setAt,
  onOpen,
  chooseAt,
  cells,
}: {
  index: number;
  chosen: ReadonlySet<string>;
  entry: Entry;
  current: string | undefined;
  at: number;
  place: { height: number; transform: string };
  widths: string;
  setAt: (next: number) => void;
  onOpen: (entry: Entry) => void;
  chooseAt: (i: number, isRange: boolean) => void;
  cells: CellProps;
}) {
  return (
    <div
      id={`entry-${index}`}
      role="row"
      aria-selected={chosen.has(entry.name)}
      aria-current={current === entry.name}
      className={`absolute left-0 grid w-full cursor-default items-start border-b border-rule pt-[5px] hover:bg-raised ${current === entry.name ? 'bg-raised' : ''} ${at === index ? 'outline outline-1 -outline-offset-1 outline-rule-strong' : ''} ${entry.hidden ? 'opacity-55' : ''}`}
      style={{ ...place, gridTemplateColumns: widths }}
      onClick={(e) => {
        if (e.target instanceof HTMLInputElement) return;
        setAt(index);
        onOpen(entry);
      }}
    >
      <div role="gridcell" className="pl-4">
        <input
          type="checkbox"
          tabIndex={-1}
          aria-label={`Choose ${entry.name}`}
          checked={chosen.has(entry.name)}
          onClick={(e) => e.shiftKey && chooseAt(index, true)}
          onChange={(e) => !(e.nativeEvent as MouseEvent).shiftKey && chooseAt(index, false)}
        />
      </div>
      <EntryCells {...cells} entry={entry} />
    </div>
  );
}

/** A folder or table in the catalog, and how many entries it has. */
function HeadingRow({
  text,
  entries,
  place,
}: {
  text: string;
  entries: number;
  place: { height: number; transform: string };
}) {
  return (
    <div
      role="row"
      className="absolute left-0 w-full border-b border-rule bg-paper px-4 pt-[5px]"
      style={place}
    >
      <span role="gridcell" className="eyebrow font-sans">
        {text} <span className="num text-soft">{count(entries)}</span>
      </span>
    </div>
  );
}
