import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { useMemo, useState } from 'react';
import type { AskedItem } from '@crease/core/model';
import { useModel } from '../../../state/model.tsx';
import { useAudience } from '../../../state/told.ts';
import { attributesOf, isOffered, itemText } from '../attributes.ts';
import { itemBelow } from './drill.ts';

interface Props {
  /** The items that the row stands by. */
  readonly items: readonly AskedItem[];
  readonly name: string;
  readonly isOpen: boolean;
  readonly onOpen: (item: AskedItem) => void;
  readonly onClose: () => void;
}

/**
 * Opens a row in place: by what lies below its last item, or where nothing does by an attribute of choice. A
 * press with Shift always gives the choice.
 */
export function OpenRow({ items, name, isOpen, onOpen, onClose }: Props) {
  const { whole: model } = useModel();
  const below = itemBelow(items.at(-1)!, model);
  const audience = useAudience();
  const isSeen = below && isOffered(below, model, audience);
  const isTaken = below && items.some((item) => itemText(item, model) === itemText(below, model));
  const sign = (
    <span aria-hidden data-mark>
      {isOpen ? '▾' : '▸'}
    </span>
  );
  const look = 'w-[16px] flex-none text-soft hover:text-ink';
  if (isOpen)
    return (
      <button className={look} aria-expanded aria-label={`Close ${name}`} onClick={onClose}>
        {sign}
      </button>
    );
  if (below && isSeen && !isTaken)
    return (
      <button
        className={look}
        aria-expanded={false}
        aria-label={`Open ${name}`}
        title={`Open by ${itemText(below, model)}`}
        onClick={() => onOpen(below)}
      >
        {sign}
      </button>
    );
  return (
    <Popover className="relative flex-none">
      <PopoverButton className={look} aria-label={`Open ${name} by …`} title="Open by …">
        {sign}
      </PopoverButton>
      <PopoverPanel anchor="bottom start" className="z-40 w-[260px] border border-ink bg-raised">
        {({ close }) => (
          <ItemChoice
            items={items}
            onPick={(item) => {
              onOpen(item);
              close();
            }}
          />
        )}
      </PopoverPanel>
    </Popover>
  );
}

/** So many attributes are listed at once. */
const LISTED = 60;

/** An attribute to open rows by. */
function ItemChoice({ items, onPick }: { items: readonly AskedItem[]; onPick: (item: AskedItem) => void }) {
  const { whole: model } = useModel();
  const audience = useAudience();
  const [search, setSearch] = useState('');
  const all = useMemo(() => attributesOf(model, audience), [model, audience]);
  const taken = new Set(items.map((item) => itemText(item, model)));
  const found = all
    .filter((a) => !taken.has(a.text) && a.text.toLowerCase().includes(search.toLowerCase()))
    .slice(0, LISTED);
  return (
    <>
      <input
        autoFocus
        className="w-full border-b border-rule bg-transparent px-3 py-1 outline-none"
        aria-label="Open by"
        placeholder="open by"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === 'Enter' && found[0]) onPick(found[0].item);
        }}
      />
      <ul className="max-h-[260px] overflow-auto py-1">
        {found.map((a) => (
          <li key={a.text}>
            <button
              className="w-full truncate px-3 py-[2px] text-left hover:bg-rule"
              onClick={() => onPick(a.item)}
            >
              {a.text}
            </button>
          </li>
        ))}
        {found.length === 0 && <li className="px-3 py-1 text-soft">No matches</li>}
      </ul>
    </>
  );
}
