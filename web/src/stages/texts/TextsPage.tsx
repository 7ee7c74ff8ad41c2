import { useMemo, useRef, useState } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { ClipboardCopy } from 'lucide-react';
import { useModel } from '../../state/model.tsx';
import type { Selection } from '../../state/selection.ts';
import { useParam, useSelection } from '../../state/selection.ts';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { count, many } from '../../parts/text.ts';
import type { TextChange, TextField, TextKind, TextRow } from '../../state/texts.ts';
import {
  cellsOf,
  editOfTexts,
  matchingTexts,
  pasted,
  sheetOf,
  TEXT_KINDS,
  textsOf,
} from '../../state/texts.ts';

const ROW = 34;
const COLUMNS = '84px minmax(200px, 1.3fr) minmax(130px, 1fr) minmax(170px, 1.6fr)';

/**
 * Titles and descriptions of the whole model in one grid: written in place, pasted from a spreadsheet, copied
 * to one.
 */
export function TextsPage() {
  const { model, edit, tell, fail } = useModel();
  const [, select] = useSelection();
  const [search, setSearch] = useParam('search');
  const [kindParam, setKind] = useParam('kind');
  const kind = TEXT_KINDS.find((k) => k === kindParam) ?? 'all';
  const [onlyWithout, setOnlyWithout] = useState(false);
  const all = useMemo(() => textsOf(model), [model]);
  const shown = useMemo(
    () => matchingTexts(all, search ?? '', kind, onlyWithout),
    [all, search, kind, onlyWithout],
  );
  const without = all.filter((r) => r.description === '').length;
  const write = (changes: readonly TextChange[], says: string) => {
    void edit((newest) => editOfTexts(newest, changes), says);
  };
  const paste = (at: number, field: TextField, text: string) => {
    const { changes, beyond } = pasted(shown, at, field, cellsOf(text));
    write(changes, `paste ${many(changes.length, 'text')}`);
    if (beyond > 0)
      tell({
        tone: 'wrong',
        text: `${many(beyond, 'cell')} had no place: they lie beyond the last row or column shown`,
      });
  };
  const copy = () =>
    navigator.clipboard.writeText(sheetOf(shown)).then(
      () => tell({ tone: 'plain', text: `Copied ${many(shown.length, 'row')}` }),
      (error: unknown) => fail(error),
    );
  const design = (
    <>
      <LeafHead
        title="Texts"
        note={`${count(all.length - without)} of ${count(all.length)} described; cells of a spreadsheet can be pasted`}
      >
        <button
          className="btn"
          disabled={shown.length === 0}
          onClick={() => void copy()}
          title="Copies the rows shown, for a spreadsheet"
        >
          <ClipboardCopy size={13} aria-hidden /> Copy
        </button>
      </LeafHead>
      <div className="flex flex-wrap items-center gap-3 border-b border-rule px-4 py-2">
        <input
          className="field w-[220px]"
          type="search"
          placeholder="Search"
          aria-label="Search texts"
          value={search ?? ''}
          onChange={(e) => setSearch(e.target.value || undefined)}
        />
        <select
          className="field"
          aria-label="Kind of object"
          value={kind}
          onChange={(e) => setKind(e.target.value === 'all' ? undefined : e.target.value)}
        >
          {['all', ...TEXT_KINDS].map((k) => (
            <option key={k}>{k}</option>
          ))}
        </select>
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={onlyWithout} onChange={(e) => setOnlyWithout(e.target.checked)} />
          without a description
        </label>
      </div>
      {shown.length === 0 ? (
        <Blank>No object matches.</Blank>
      ) : (
        <TextGrid shown={shown} onWrite={write} onPaste={paste} onSelect={select} />
      )}
    </>
  );
  return <Leaves label="Texts" design={design} evidence={<EvidenceLeaf />} />;
}

function TextGrid({
  shown,
  onWrite,
  onPaste,
  onSelect,
}: {
  shown: readonly TextRow[];
  onSelect: (selection: Selection) => void;
  onWrite: (changes: readonly TextChange[], says: string) => void;
  onPaste: (at: number, field: TextField, text: string) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  /** Moves to the same field of another row, as in a spreadsheet. */
  const moveTo = (at: number, field: TextField) => {
    if (at < 0 || at >= shown.length) return;
    rows.scrollToIndex(at);
    requestAnimationFrame(() =>
      box.current?.querySelector<HTMLInputElement>(`[data-row="${at}"][data-field="${field}"]`)?.focus(),
    );
  };
  return (
    <div
      ref={box}
      role="table"
      aria-label="Texts"
      aria-rowcount={shown.length}
      className="min-h-0 flex-1 overflow-auto"
    >
      <div
        role="row"
        className="sticky top-0 z-10 grid border-b border-rule-strong bg-leaf font-semibold"
        style={{ gridTemplateColumns: COLUMNS }}
      >
        {['kind', 'name', 'title', 'description'].map((head) => (
          <div key={head} role="columnheader" className="px-3 py-[6px] text-[12px]">
            {head}
          </div>
        ))}
      </div>
      <div role="rowgroup" style={{ height: rows.getTotalSize(), position: 'relative' }}>
        {rows.getVirtualItems().map(({ index, start }) => {
          const row = shown[index]!;
          return (
            <div
              key={`${row.kind}:${row.name}`}
              role="row"
              className="absolute left-0 grid w-full items-center border-b border-rule"
              style={{ gridTemplateColumns: COLUMNS, height: ROW, transform: `translateY(${start}px)` }}
            >
              <div role="cell" className="px-3 text-soft">
                {row.kind}
              </div>
              <div role="cell" className="truncate px-3 font-semibold" title={row.name}>
                {row.kind === 'model' ? (
                  row.name
                ) : (
                  <button
                    className="max-w-full truncate hover:underline"
                    onClick={() => onSelect({ kind: row.kind as Selection['kind'], name: row.name })}
                  >
                    {row.name}
                  </button>
                )}
              </div>
              {(['title', 'description'] as const).map((field) => (
                <div key={field} role="cell" className="px-1">
                  <TextCell
                    row={row}
                    at={index}
                    field={field}
                    onWrite={(text) =>
                      onWrite([{ row, field, text }], saysOf(row.kind, row.name, field, text))
                    }
                    onPaste={(text) => onPaste(index, field, text)}
                    onMove={(by) => moveTo(index + by, field)}
                  />
                </div>
              ))}
            </div>
          );
        })}
      </div>
    </div>
  );
}

const saysOf = (kind: TextKind, name: string, field: TextField, text: string): string =>
  text === '' ? `remove the ${field} of ${kind} ${name}` : `${field} of ${kind} ${name}: ${text}`;

/** A text written in place: Enter keeps it and goes a row down, Escape takes back what was typed. */
function TextCell({
  row,
  at,
  field,
  onWrite,
  onPaste,
  onMove,
}: {
  row: TextRow;
  at: number;
  field: TextField;
  onWrite: (text: string) => void;
  onPaste: (text: string) => void;
  onMove: (by: number) => void;
}) {
  const [typed, setTyped] = useState<string>();
  const keep = () => {
    if (typed !== undefined && typed.trim() !== row[field]) onWrite(typed.trim());
    setTyped(undefined);
  };
  return (
    <input
      className="w-full truncate border border-transparent bg-transparent px-2 py-[3px] hover:border-rule focus:border-ink focus:bg-raised"
      aria-label={`${field === 'title' ? 'Title' : 'Description'} of ${row.kind} ${row.name}`}
      data-row={at}
      data-field={field}
      value={typed ?? row[field]}
      title={row[field]}
      placeholder="—"
      onChange={(e) => setTyped(e.target.value)}
      onBlur={keep}
      onPaste={(e) => {
        const text = e.clipboardData.getData('text/plain');
        // One plain cell is pasted into what is typed, as anywhere.
        if (!/[\t\n]/.test(text.replace(/\r?\n$/, ''))) return;
        e.preventDefault();
        setTyped(undefined);
        onPaste(text);
      }}
      onKeyDown={(e) => {
        if (e.key === 'Escape') setTyped(undefined);
        if (e.key !== 'Enter' && e.key !== 'ArrowDown' && e.key !== 'ArrowUp') return;
        e.preventDefault();
        keep();
        onMove(e.key === 'ArrowUp' ? -1 : 1);
      }}
    />
  );
}
