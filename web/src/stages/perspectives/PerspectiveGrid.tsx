import { useCallback, useEffect, useRef, useState } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { ChevronDown, ChevronRight, X } from 'lucide-react';
import { Link } from 'react-router';
import type { Perspective } from '@crease/core/model';
import { isShown, sameName, titleIn, withTitleIn } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { RoleMark, VerdictMark } from '../../parts/Marks.tsx';
import type { ObjectLine, ShownState } from './objects.ts';
import { stateOf, ticked } from './objects.ts';

const ROW = 28;

interface Props {
  readonly lines: readonly ObjectLine[];
  readonly selected: Perspective | undefined;
  readonly turned: ReadonlySet<string>;
  readonly onTurn: (key: string) => void;
}

/** The grid, of which only the lines in view are made; the selected audience has its own titles beside it. */
export function PerspectiveGrid({ lines, selected, turned, onTurn }: Props) {
  const { model, edit } = useModel();
  const box = useRef<HTMLDivElement>(null);
  const perspectives = model.perspectives ?? [];
  // Another one has the places of all lines worked out anew: with each frame, while the list moves.
  const getItemKey = useCallback((i: number) => lines[i]!.key, [lines]);
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    getItemKey,
    overscan: 12,
  });
  const widths = `minmax(190px, 1.4fr) repeat(${perspectives.length}, minmax(104px, 1fr))${selected ? ' minmax(140px, 1fr)' : ''}`;
  const minWidth = 190 + 104 * perspectives.length + (selected ? 140 : 0);
  /** Made of the newest model: ticks that follow each other quickly all count. */
  const change = (p: Perspective, says: string, of: (newest: Perspective) => Perspective) =>
    void edit((newest) => {
      const own = (newest.perspectives ?? []).find((other) => sameName(other.name, p.name));
      return own ? [{ do: 'put-perspectives', name: own.name, value: of(own) }] : [];
    }, says);
  const tick = (p: Perspective, object: ObjectLine, on: boolean) =>
    change(p, `${on ? 'show' : 'hide'} ${object.text} ${on ? 'to' : 'from'} ${p.name}`, (own) =>
      ticked(own, object, on, model),
    );
  return (
    <div
      ref={box}
      role="table"
      aria-label="What each audience sees"
      aria-rowcount={lines.length}
      className="min-h-0 flex-1 overflow-auto"
    >
      <div
        role="row"
        className="sticky top-0 z-10 grid border-b border-rule-strong bg-leaf"
        style={{ gridTemplateColumns: widths, minWidth }}
      >
        <div role="columnheader" className="px-4 py-[5px] text-[12px] font-semibold">
          object
        </div>
        {perspectives.map((p) => (
          <AudienceHead key={p.name} perspective={p} isSelected={p === selected} />
        ))}
        {selected && (
          <div role="columnheader" className="truncate px-2 py-[5px] text-[12px] font-semibold">
            title for {selected.name}
          </div>
        )}
      </div>
      <div role="rowgroup" style={{ height: rows.getTotalSize(), position: 'relative', minWidth }}>
        {rows.getVirtualItems().map(({ index, start, key }) => {
          const object = lines[index]!;
          return (
            <div
              key={key}
              role="row"
              className={`absolute left-0 grid w-full items-center border-b border-rule ${object.kind === 'heading' ? 'bg-paper font-semibold' : ''} ${object.isHidden ? 'opacity-55' : ''}`}
              style={{ gridTemplateColumns: widths, height: ROW, transform: `translateY(${start}px)` }}
            >
              <ObjectName object={object} isTurned={turned.has(object.key)} onTurn={onTurn} />
              {perspectives.map((p) => (
                <div key={p.name} role="cell" className="px-2">
                  <Tick
                    label={`${object.text} for ${p.name}`}
                    state={stateOf(p, object)}
                    onTick={(on) => tick(p, object, on)}
                  />
                </div>
              ))}
              {selected && (
                <div role="cell" className="px-1">
                  {object.kind !== 'heading' && isShown(selected, object.part, object.names[0]!) && (
                    <OwnTitle
                      key={`${selected.name} ${object.key}`}
                      label={`Title of ${object.text} for ${selected.name}`}
                      title={titleIn(selected, object.part, object.names[0]!) ?? ''}
                      onWrite={(title) =>
                        change(
                          selected,
                          title === ''
                            ? `no own title of ${object.text}`
                            : `${object.text} is ${title} for ${selected.name}`,
                          (own) => withTitleIn(own, object.part, object.names[0]!, title || undefined),
                        )
                      }
                    />
                  )}
                </div>
              )}
            </div>
          );
        })}
      </div>
      {lines.length === 0 && <p className="p-4 text-soft">Nothing matches.</p>}
    </div>
  );
}

/** The name of an audience with its verdict, the way to mend it, and what it sees. */
function AudienceHead({ perspective: p, isSelected }: { perspective: Perspective; isSelected: boolean }) {
  const { claims, edit } = useModel();
  const [, select] = useSelection();
  const broken = (claims?.claims ?? []).filter(
    (c) => c.verdict === 'broken' && c.about.some((a) => a.perspective === p.name),
  );
  const closed = broken.find((c) => c.kind === 'perspective-closed');
  const remedy = closed?.remedies.find((r) => r.id === 'close-perspective');
  return (
    <div role="columnheader" className={`min-w-0 px-2 py-[3px] text-[12px] ${isSelected ? 'bg-raised' : ''}`}>
      <span className="flex items-center gap-1">
        <button
          className="min-h-[24px] min-w-0 truncate font-semibold hover:underline"
          aria-pressed={isSelected}
          title={[p.name, p.title].filter(Boolean).join(' · ')}
          onClick={() => select({ kind: 'perspective', name: p.name })}
        >
          {p.name}
        </button>
        {broken.length > 0 && <VerdictMark verdict="broken" size={10} />}
      </span>
      <span className="flex flex-wrap items-center gap-x-2">
        <Link
          className="inline-flex min-h-[24px] items-center underline"
          to={`../trial?as=${encodeURIComponent(p.name)}`}
          relative="path"
        >
          preview
        </Link>
        {remedy && (
          <button
            className="min-h-[24px] underline"
            title={[...(closed?.evidence.notes ?? []), remedy.effect].join('\n')}
            aria-label={`Close ${p.name}`}
            onClick={() => void edit(remedy.edit, `close ${p.name}`)}
          >
            close it
          </button>
        )}
        <button
          onClick={() =>
            void edit([{ do: 'remove-perspectives', name: p.name }], `remove the perspective ${p.name}`)
          }
          className="min-h-[24px] min-w-[24px]"
          aria-label={`Remove ${p.name}`}
          title="Remove"
        >
          <X size={12} aria-hidden />
        </button>
      </span>
    </div>
  );
}

function ObjectName({
  object,
  isTurned,
  onTurn,
}: {
  object: ObjectLine;
  isTurned: boolean;
  onTurn: (key: string) => void;
}) {
  const isOpen = object.kind === 'heading' ? !isTurned : isTurned;
  const Fold = isOpen ? ChevronDown : ChevronRight;
  const text = object.kind === 'column' ? object.text.slice(object.text.lastIndexOf('.') + 1) : object.text;
  const inset = { heading: 'pl-3', object: 'pl-5', column: 'pl-12' }[object.kind];
  return (
    <div
      role={object.kind === 'heading' ? 'rowheader' : 'cell'}
      className={`flex min-w-0 items-center gap-1 pr-2 ${inset}`}
    >
      {object.folds ? (
        <button
          className="min-h-[24px] min-w-[20px]"
          aria-expanded={isOpen}
          aria-label={`${isOpen ? 'Fold' : 'Unfold'} ${object.text}`}
          onClick={() => onTurn(object.key)}
        >
          <Fold size={13} aria-hidden />
        </button>
      ) : (
        object.kind === 'object' && <span className="w-[20px]" />
      )}
      {object.role && <RoleMark role={object.role} size={12} />}
      <span className="truncate" title={object.text}>
        {text}
      </span>
      {object.isHidden && <span className="text-[11px] font-normal text-soft">hidden</span>}
    </div>
  );
}

/** A tick that can also be of some, or by the whole table. */
function Tick({ label, state, onTick }: { label: string; state: ShownState; onTick: (on: boolean) => void }) {
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (input.current) input.current.indeterminate = state === 'some';
  }, [state]);
  const isOn = state === 'shown' || state === 'by table';
  return (
    <label className="flex min-h-[24px] items-center gap-1">
      <input
        ref={input}
        type="checkbox"
        aria-label={label}
        checked={isOn}
        onChange={(e) => onTick(e.target.checked)}
      />
      {state === 'by table' && <span className="text-[11px] font-normal text-soft">with its table</span>}
      {state === 'some' && <span className="text-[11px] font-normal text-soft">some</span>}
    </label>
  );
}

/** A title written in place: Enter or leaving it keeps it, Escape takes back what was typed. */
function OwnTitle({
  label,
  title,
  onWrite,
}: {
  label: string;
  title: string;
  onWrite: (title: string) => void;
}) {
  const [typed, setTyped] = useState<string>();
  const keep = () => {
    if (typed !== undefined && typed.trim() !== title) onWrite(typed.trim());
    setTyped(undefined);
  };
  return (
    <input
      className="w-full truncate border border-transparent bg-transparent px-2 py-[2px] font-normal hover:border-rule focus:border-ink focus:bg-raised"
      aria-label={label}
      placeholder="as it is"
      value={typed ?? title}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === 'Enter') keep();
        if (e.key === 'Escape') setTyped(undefined);
      }}
    />
  );
}
