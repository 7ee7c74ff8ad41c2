import { useMemo, useState } from 'react';
import {
  Combobox,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Dialog,
  DialogPanel,
} from '@headlessui/react';
import { useNavigate } from 'react-router';
import { useModel } from '../state/model.tsx';
import type { Selection } from '../state/selection.ts';
import { STAGE_OF, useGo } from '../state/selection.ts';
import { VerdictMark } from '../parts/Marks.tsx';
import { STAGES } from './stages.tsx';
import { foldLeaf } from './Leaves.tsx';
import { useTheme } from './theme.ts';

interface Item {
  readonly id: string;
  readonly kind: string;
  readonly text: string;
  readonly note?: string;
  readonly broken?: boolean;
  readonly run: () => void;
}

/** Acts that have a view of their own. */
const PLACES: readonly (readonly [text: string, stage: string, view: string])[] = [
  ['Draft a star', 'intake', 'draft'],
  ['Connect a database', 'intake', 'databases'],
  ['Type or paste rows', 'intake', 'members'],
  ['Generate a calendar', 'intake', 'calendar'],
  ['List loads and recipes', 'intake', 'loads'],
  ['Design a table', 'shape', 'design'],
  ['Show the lineage', 'shape', 'lineage'],
  ['Show the matrix of facts and dimensions', 'stars', 'matrix'],
  ['Write briefs', 'stars', 'briefs'],
  ['Read advice on stars', 'stars', 'advice'],
  ['Look after calendars', 'hierarchies', 'calendars'],
];

/** So many are listed: each option takes its time to come and go. */
const MOST = 40;

/** One box for every object and every command: type, arrows, Enter. */
export function FindOrDo({ open, ...ways }: Ways & { open: boolean }) {
  // Of a large model the list takes its time: it is made for who opens it.
  return open && <Opened {...ways} />;
}

interface Ways {
  readonly onClose: () => void;
  readonly onHelp: () => void;
  readonly onLook: () => void;
}

function Opened({ onClose, onHelp, onLook }: Ways) {
  const [search, setSearch] = useState('');
  const items = useItems({ onHelp, onLook });
  const searched = useMemo(() => searchedOf(items), [items]);
  const found = useMemo(() => matching(searched, search), [searched, search]);
  return (
    <Dialog open onClose={onClose} className="relative z-50">
      <div className="fixed inset-0 bg-ink/25" aria-hidden />
      <div className="fixed inset-0 flex justify-center pt-[12vh]">
        <DialogPanel
          className="h-fit w-[620px] max-w-[94vw] border border-ink bg-leaf shadow-[var(--shadow)]"
          aria-label="Find or do"
        >
          <Combobox<Item | null>
            value={null}
            onChange={(item) => {
              if (!item) return;
              onClose();
              item.run();
            }}
          >
            <ComboboxInput
              autoFocus
              className="w-full border-b border-rule-strong bg-transparent px-4 py-3 text-[15px] outline-none"
              placeholder="Table, column, measure, claim or command"
              aria-label="Find or do"
              onChange={(e) => setSearch(e.target.value)}
              // The list stays open by itself: it would take the first Escape, and the dialog the second.
              onKeyDown={(e) => e.key === 'Escape' && onClose()}
            />
            <ComboboxOptions static className="max-h-[52vh] overflow-auto py-1">
              {found.map((item) => (
                <ComboboxOption
                  key={item.id}
                  value={item}
                  className="flex cursor-pointer items-baseline gap-3 px-4 py-[5px] data-[focus]:bg-ink data-[focus]:text-leaf"
                >
                  <span className="w-[84px] shrink-0 text-[11px] opacity-70">{item.kind}</span>
                  <span className="truncate">{item.text}</span>
                  {item.broken && <VerdictMark verdict="broken" size={10} />}
                  <span className="ml-auto truncate text-[12px] opacity-70">{item.note}</span>
                </ComboboxOption>
              ))}
              {found.length === 0 && <p className="px-4 py-3 text-soft">No matches</p>}
            </ComboboxOptions>
          </Combobox>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function useItems({ onHelp, onLook }: { onHelp: () => void; onLook: () => void }): Item[] {
  const navigate = useNavigate();
  const { model, claims, undo, redo } = useModel();
  const go = useGo();
  const [theme, setTheme] = useTheme();
  return useMemo(() => {
    const open = (kind: Selection['kind'], name: string, note?: string): Item => ({
      id: `${kind}:${name}`,
      kind,
      text: name,
      ...(note ? { note } : {}),
      run: () => go(STAGE_OF[kind], { kind, name }),
    });
    const act = (text: string, run: () => void, note?: string): Item => ({
      id: `do:${text}`,
      kind: 'do',
      text,
      ...(note ? { note } : {}),
      run,
    });
    return [
      ...STAGES.map((s) => act(`Go to ${s.name}`, () => go(s.path))),
      act('List all claims', () => go('claims')),
      act('Write titles and descriptions', () => go('texts')),
      ...PLACES.map(([text, stage, view]) => act(text, () => go(stage, undefined, undefined, view))),
      act('Help', onHelp, '?'),
      act('Take the first look', onLook),
      act('Read the documentation', () => void navigate('/docs')),
      act('List all models', () => void navigate('/')),
      act('Undo', () => void undo(), 'Ctrl Z'),
      act('Redo', () => void redo(), 'Ctrl Shift Z'),
      act('Collapse the design leaf', () => foldLeaf('design'), '['),
      act('Collapse the evidence leaf', () => foldLeaf('evidence'), ']'),
      act(theme === 'dark' ? 'Light theme' : 'Dark theme', () =>
        setTheme(theme === 'dark' ? 'light' : 'dark'),
      ),
      ...model.tables.map((t) => open('table', t.name, toldOf(t))),
      ...(model.measures ?? []).map((m) => open('measure', m.name, toldOf(m) || m.formula)),
      ...(model.relationships ?? []).map((r) =>
        open('relationship', r.name, `${r.from.table} → ${r.to.table}`),
      ),
      ...(model.hierarchies ?? []).map((h) => open('hierarchy', `${h.table}.${h.name}`, toldOf(h))),
      ...(model.perspectives ?? []).map((p) => open('perspective', p.name)),
      ...(claims?.claims ?? [])
        .filter((c) => c.verdict === 'broken')
        .map((c): Item => ({ ...open('claim', c.id, c.says), broken: true })),
      ...model.tables.flatMap((t) =>
        t.columns.map((c) =>
          open('column', `${t.name}.${c.name}`, [c.type, toldOf(c)].filter(Boolean).join(' · ')),
        ),
      ),
    ];
  }, [model, claims, go, undo, redo, theme, setTheme, navigate, onHelp, onLook]);
}

/** Title and description of an object, in one line. */
const toldOf = ({
  title,
  description,
}: {
  title?: string | undefined;
  description?: string | undefined;
}): string => [title, description].filter(Boolean).join(': ');

/** An item with its texts as they are searched. */
interface Searched {
  readonly item: Item;
  readonly text: string;
  readonly all: string;
}

const searchedOf = (items: readonly Item[]): Searched[] =>
  items.map((item) => ({
    item,
    text: item.text.toLowerCase(),
    all: `${item.kind} ${item.text} ${item.note ?? ''}`.toLowerCase(),
  }));

/** Items that hold all words searched for: first those that start with the first word, then those with it. */
function matching(items: readonly Searched[], search: string): Item[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const [first = ''] = words;
  const ranks: Item[][] = [[], [], []];
  for (const { item, text, all } of items) {
    if (!words.every((word) => all.includes(word))) continue;
    ranks[text.startsWith(first) ? 0 : text.includes(first) ? 1 : 2]!.push(item);
  }
  return ranks.flat().slice(0, MOST);
}
