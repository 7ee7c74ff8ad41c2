import { useCallback, useEffect, useRef, useState } from 'react';
import type { PointerEvent, ReactNode } from 'react';
import { Guard } from './Guard.tsx';

const KEY = 'crease.fold';
const NARROWEST = 0.2;

type Folded = 'none' | 'design' | 'evidence';

/**
 * Two leaves with a crease between: the design left, its evidence right. Drag the crease, or move it with the
 * arrow keys; [ and ] fold a leaf away.
 */
export function Leaves({
  design,
  evidence,
  label,
}: {
  design: ReactNode;
  evidence: ReactNode;
  label: string;
}) {
  const [part, setPart] = useState(() => Number(localStorage.getItem(KEY)) || 0.62);
  const [folded, setFolded] = useState<Folded>('none');
  const box = useRef<HTMLDivElement>(null);

  const place = useCallback((next: number) => {
    const bounded = Math.min(1 - NARROWEST, Math.max(NARROWEST, next));
    setPart(bounded);
    localStorage.setItem(KEY, String(bounded));
  }, []);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === '[') setFolded((f) => (f === 'design' ? 'none' : 'design'));
      if (event.key === ']') setFolded((f) => (f === 'evidence' ? 'none' : 'evidence'));
    };
    const onFold = (event: Event) =>
      setFolded((f) =>
        f === (event as CustomEvent<Folded>).detail ? 'none' : (event as CustomEvent<Folded>).detail,
      );
    window.addEventListener('keydown', onKey);
    window.addEventListener('crease:fold', onFold);
    return () => {
      window.removeEventListener('keydown', onKey);
      window.removeEventListener('crease:fold', onFold);
    };
  }, []);

  const drag = (event: PointerEvent<HTMLDivElement>) => {
    const target = event.currentTarget;
    target.setPointerCapture(event.pointerId);
    const move = (e: globalThis.PointerEvent) => {
      const { left, width } = box.current!.getBoundingClientRect();
      place((e.clientX - left) / width);
    };
    const end = () => {
      target.removeEventListener('pointermove', move);
      target.removeEventListener('pointerup', end);
    };
    target.addEventListener('pointermove', move);
    target.addEventListener('pointerup', end);
  };

  return (
    <div ref={box} className="flex min-h-0 flex-1 flex-col min-[1000px]:flex-row">
      {folded !== 'design' && (
        <main
          aria-label={`Design: ${label}`}
          className="leaf-design flex min-h-0 min-w-0 flex-col bg-leaf max-[999px]:flex-1"
          style={{
            flexBasis: folded === 'evidence' ? '100%' : `${part * 100}%`,
            flexGrow: folded === 'evidence' ? 1 : 0,
          }}
        >
          <Guard what={label}>{design}</Guard>
        </main>
      )}
      <div
        className="crease max-[999px]:hidden"
        role="separator"
        aria-orientation="vertical"
        aria-label="Divider between the leaves"
        aria-valuenow={Math.round(part * 100)}
        aria-valuemin={NARROWEST * 100}
        aria-valuemax={(1 - NARROWEST) * 100}
        tabIndex={0}
        onPointerDown={drag}
        onDoubleClick={() => setFolded('none')}
        onKeyDown={(e) => {
          if (e.key === 'ArrowLeft') place(part - 0.02);
          if (e.key === 'ArrowRight') place(part + 0.02);
        }}
        title="Drag to resize; [ and ] collapse a leaf"
      />
      {folded !== 'evidence' && (
        <aside
          aria-label="Evidence"
          className="fold-in flex min-h-0 min-w-0 flex-1 flex-col overflow-auto bg-leaf max-[999px]:border-t max-[999px]:border-rule-strong"
        >
          <Guard what="The evidence">{evidence}</Guard>
        </aside>
      )}
    </div>
  );
}

export const foldLeaf = (leaf: 'design' | 'evidence'): void =>
  void window.dispatchEvent(new CustomEvent('crease:fold', { detail: leaf }));

/** Whether a key belongs to what is being written, not to the frame. */
export const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName));

/** The head of a leaf: a title, what it is about, and its tools. */
export function LeafHead({
  title,
  children,
  note,
}: {
  title: ReactNode;
  note?: ReactNode;
  children?: ReactNode;
}) {
  return (
    <header className="flex min-h-[42px] shrink-0 flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule px-4 py-[7px]">
      <h1 className="text-[16px] leading-6">{title}</h1>
      {note !== undefined && <span className="text-soft">{note}</span>}
      <span className="flex-1" />
      {children}
    </header>
  );
}

/** An empty or waiting state: one sentence, and what to do next. */
export function Blank({ children, act }: { children: ReactNode; act?: ReactNode }) {
  return (
    <div className="flex flex-1 flex-col items-center justify-center gap-3 p-8 text-center text-soft">
      <p className="max-w-[46ch] font-serif text-[14px]">{children}</p>
      {act}
    </div>
  );
}
