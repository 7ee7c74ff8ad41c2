import { Suspense, useEffect, useMemo, useState } from 'react';
import { Link, NavLink, Outlet, useLocation, useParams } from 'react-router';
import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from '@headlessui/react';
import { CircleHelp, Command, Moon, Redo2, Sun, Undo2 } from 'lucide-react';
import { keptAddress, parseSelection, selectionText } from '../state/selection.ts';
import { ModelProvider, useModel } from '../state/model.tsx';
import { VerdictMark } from '../parts/Marks.tsx';
import { count, many } from '../parts/text.ts';
import { AudienceChoice, SeenAs } from './Audience.tsx';
import { ModelTitle } from './ModelTitle.tsx';
import { FirstLook, useLook } from './FirstLook.tsx';
import { Foot } from './Foot.tsx';
import { HelpDialog } from './HelpDialog.tsx';
import { FindOrDo } from './FindOrDo.tsx';
import { Lost } from './Lost.tsx';
import { isTyping } from './Leaves.tsx';
import { STAGES } from './stages.tsx';
import { IconButton } from '../parts/IconButton.tsx';
import { useTheme } from './theme.ts';

/** What surrounds every stage of an open model: spine, header, the stage itself, and the line of notices. */
export function Frame() {
  const id = Number(useParams().model);
  const waiting = <p className="p-8 text-soft">Opening the model …</p>;
  return (
    <ModelProvider id={id} key={id} waiting={waiting} failed={(error) => <Lost reason={error} />}>
      <FrameOfModel />
    </ModelProvider>
  );
}

function FrameOfModel() {
  const { model, undo, redo } = useModel();
  const [finding, setFinding] = useState(false);
  const [helping, setHelping] = useState(false);
  const look = useLook();
  const { pathname } = useLocation();
  const stage = STAGES.find((s) => pathname.endsWith(`/${s.path}`));

  useEffect(() => {
    document.title = `${stage?.name ?? (pathname.endsWith('/texts') ? 'Texts' : 'Claims')} · ${model.title ?? model.name} · Crease`;
  }, [stage, pathname, model]);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const command = event.ctrlKey || event.metaKey;
      if (command && event.key.toLowerCase() === 'k') {
        event.preventDefault();
        setFinding(true);
      }
      if (event.key === '?' && !command && !isTyping(event.target)) setHelping(true);
      if (command && event.key.toLowerCase() === 'z' && !isTyping(event.target)) {
        event.preventDefault();
        void (event.shiftKey ? redo() : undo());
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [undo, redo]);

  return (
    <div className="flex h-full min-h-0">
      <Spine />
      <div className="flex min-w-0 flex-1 flex-col">
        <Header onFind={() => setFinding(true)} onHelp={() => setHelping(true)} />
        <SeenAs />
        <Suspense fallback={<p className="p-8 text-soft">Opening …</p>}>
          <Outlet />
        </Suspense>
        <Foot />
      </div>
      <FindOrDo
        open={finding}
        onClose={() => setFinding(false)}
        onHelp={() => setHelping(true)}
        onLook={look.start}
      />
      <HelpDialog
        open={helping}
        stage={stage}
        onClose={() => setHelping(false)}
        onLook={() => {
          setHelping(false);
          look.start();
        }}
      />
      <FirstLook work={look} />
      <AskBeforeRows />
    </div>
  );
}

/** Before undo or redo touches rows one reads what becomes of them. */
function AskBeforeRows() {
  const { asking, answerAsked } = useModel();
  const rows = (n: number | null) => (n === null ? 'no rows' : many(n, 'row'));
  return (
    <Dialog open={asking !== undefined} onClose={() => void answerAsked(false)} className="relative z-50">
      <DialogBackdrop className="fixed inset-0 bg-ink/30" />
      <div className="fixed inset-0 flex items-center justify-center p-4">
        <DialogPanel className="w-[460px] max-w-full border border-ink bg-raised p-5">
          <DialogTitle className="text-[16px]">
            {asking?.way === 'redo' ? 'Redo' : 'Undo'}: {asking?.says}
          </DialogTitle>
          <p className="mt-2">This changes rows:</p>
          <ul className="mt-1">
            {asking?.rows.map((r) => (
              <li key={r.table}>
                <b>{r.table}</b>: {rows(r.now)} now, {rows(r.then)} afterwards
              </li>
            ))}
          </ul>
          <p className="mt-4 flex justify-end gap-2">
            <button className="btn" onClick={() => void answerAsked(false)}>
              Cancel
            </button>
            <button className="btn btn-act" autoFocus onClick={() => void answerAsked(true)}>
              {asking?.way === 'redo' ? 'Redo' : 'Undo'}
            </button>
          </p>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function Spine() {
  const { claims } = useModel();
  const { search } = useLocation();
  const selection = parseSelection(new URLSearchParams(search).get('sel'));
  const searchOf = (shows: readonly string[]) => {
    const next = keptAddress(search);
    if (selection && shows.includes(selection.kind)) next.set('sel', selectionText(selection));
    return next.size > 0 ? `?${next}` : '';
  };
  const brokenOf = useMemo(
    () =>
      Map.groupBy(
        (claims?.claims ?? []).filter((c) => c.verdict === 'broken'),
        (c) => c.kind as string,
      ),
    [claims],
  );
  const broken = (kinds: readonly string[]) =>
    kinds.reduce((sum, kind) => sum + (brokenOf.get(kind)?.length ?? 0), 0);
  return (
    <nav
      aria-label="Stages"
      className="no-print flex w-[92px] shrink-0 flex-col border-r border-rule-strong bg-paper"
    >
      <Link
        to="/"
        className="flex h-[46px] items-center justify-center gap-[6px] border-b border-rule font-serif text-[15px] font-semibold"
        title="All models of this workspace"
      >
        <img src="/mark.svg" width={18} height={18} alt="" />
        Crease
      </Link>
      <ol className="flex flex-1 flex-col py-1">
        {STAGES.map((stage) => {
          const n = broken(stage.kinds);
          return (
            <li key={stage.path}>
              <NavLink
                to={{ pathname: stage.path, search: searchOf(stage.shows) }}
                className={({ isActive }) =>
                  `relative flex h-[56px] flex-col items-center justify-center gap-[3px] text-[11px] ${isActive ? 'bg-leaf font-semibold text-ink shadow-[inset_3px_0_0_var(--ink)]' : 'text-soft hover:text-ink'}`
                }
              >
                <stage.icon size={17} strokeWidth={1.6} aria-hidden />
                {stage.name}
                {n > 0 && (
                  <span
                    className="absolute right-[12px] top-[5px] flex h-[15px] min-w-[15px] items-center justify-center bg-vermilion px-[3px] text-[10px] font-semibold text-leaf"
                    aria-label={`${n} broken claims`}
                    title={`${n} broken claims`}
                  >
                    {n}
                  </span>
                )}
              </NavLink>
            </li>
          );
        })}
      </ol>
    </nav>
  );
}

function Header({ onFind, onHelp }: { onFind: () => void; onHelp: () => void }) {
  const { state, canUndo, undo, redo } = useModel();
  const [theme, setTheme] = useTheme();
  return (
    <header className="no-print flex h-[46px] shrink-0 items-center gap-3 border-b border-rule-strong bg-paper px-4">
      <ModelTitle />
      <Link
        to="release"
        className="whitespace-nowrap text-soft hover:text-ink hover:underline"
        title={`${state.revision.says}. Open the history`}
      >
        revision {count(state.revision.number)}
      </Link>
      <span className="flex">
        <IconButton
          label="Undo"
          title={
            canUndo || !state.canUndo
              ? `Undo: ${state.revision.says} (Ctrl+Z)`
              : `The last change was made elsewhere: ${state.revision.says}`
          }
          onClick={() => void undo()}
          disabled={!canUndo}
        >
          <Undo2 size={15} aria-hidden />
        </IconButton>
        <IconButton
          label="Redo"
          title="Redo (Ctrl+Shift+Z)"
          onClick={() => void redo()}
          disabled={!state.canRedo}
        >
          <Redo2 size={15} aria-hidden />
        </IconButton>
      </span>
      <AudienceChoice />
      <span className="flex-1" />
      <ClaimMeter />
      <button className="btn" onClick={onFind} aria-label="Find or do">
        <Command size={13} aria-hidden /> Find or do <kbd className="text-[11px] text-soft">Ctrl K</kbd>
      </button>
      <IconButton label="Help" title="Help (?)" onClick={onHelp}>
        <CircleHelp size={15} aria-hidden />
      </IconButton>
      <IconButton
        label={theme === 'dark' ? 'Light theme' : 'Dark theme'}
        onClick={() => setTheme(theme === 'dark' ? 'light' : 'dark')}
      >
        {theme === 'dark' ? <Sun size={15} aria-hidden /> : <Moon size={15} aria-hidden />}
      </IconButton>
    </header>
  );
}

const ORDER = ['holds', 'broken', 'unchecked', 'waived'] as const;
const FILL = {
  holds: 'bg-green',
  broken: 'bg-vermilion',
  unchecked: 'hatched-slate',
  waived: 'bg-violet',
} as const;

/** How many claims hold, are broken, unchecked, waived: a strip and the numbers; a click lists them. */
function ClaimMeter() {
  const { claims } = useModel();
  if (!claims) return <span className="text-soft">finding claims …</span>;
  const { summary } = claims;
  const total = Math.max(1, claims.claims.length);
  return (
    <Link
      to="claims"
      className="flex items-center gap-3 rounded px-2 py-1 hover:bg-leaf"
      aria-label={`Claims: ${ORDER.map((v) => `${summary[v]} ${v}`).join(', ')}`}
      title={
        claims.failure !== undefined
          ? `Judging failed: ${claims.failure}`
          : claims.done
            ? `Judged in ${count(claims.elapsedMs)} ms`
            : 'Being judged'
      }
    >
      <span className="flex h-[10px] w-[110px] overflow-hidden border border-rule-strong bg-leaf" aria-hidden>
        {ORDER.map((v) =>
          summary[v] > 0 ? (
            <span
              key={v}
              className={FILL[v]}
              style={{ width: `${Math.max(2, (100 * summary[v]) / total)}%` }}
            />
          ) : null,
        )}
      </span>
      {ORDER.map((v) => (
        <span
          key={v}
          className={`flex items-center gap-1 tabular-nums ${summary[v] === 0 ? 'text-soft' : ''}`}
        >
          <VerdictMark verdict={v} size={11} />
          {count(summary[v])}
        </span>
      ))}
    </Link>
  );
}
