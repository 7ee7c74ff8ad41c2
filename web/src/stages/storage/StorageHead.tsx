import { useRef } from 'react';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { Download } from 'lucide-react';
import type { ProfileState } from '@crease/contract';
import { profileDocument, profilePage } from '@crease/core/storage';
import { BudgetField } from './BudgetField.tsx';
import { LeafHead } from '../../frame/Leaves.tsx';
import { useModel } from '../../state/model.tsx';
import { saveFile } from '../../state/save.ts';
import { bytes, count } from '../../parts/text.ts';
import type { ComparedWith } from './useCompared.ts';
import { sayKept } from './useCompared.ts';

/**
 * The head of Storage: what all weighs, rulers or the list, what it is compared with, and what can be saved.
 */
export function StorageHead({
  state,
  view,
  onView,
  compared,
}: {
  state: ProfileState | undefined;
  view: 'rulers' | 'columns';
  onView: (view: 'rulers' | 'columns') => void;
  compared: ComparedWith;
}) {
  return (
    <LeafHead
      title="Storage"
      note={
        state ? (
          <span className="inline-flex items-center gap-2">
            <span
              title={`${count(state.profile.totalBytes)} bytes, measured in ${count(state.elapsedMs)} ms`}
            >
              {bytes(state.profile.totalBytes)} held in memory
            </span>
            <BudgetField takes={state.profile.totalBytes} />
          </span>
        ) : (
          ''
        )
      }
    >
      <span role="group" aria-label="View" className="flex">
        {(['rulers', 'columns'] as const).map((v) => (
          <button key={v} className="btn" aria-pressed={view === v} onClick={() => onView(v)}>
            {v === 'rulers' ? 'Rulers' : 'Columns'}
          </button>
        ))}
      </span>
      <CompareChoice compared={compared} />
      <SaveMenu state={state} />
    </LeafHead>
  );
}

function CompareChoice({ compared: { kept, choice, choose, open } }: { compared: ComparedWith }) {
  const file = useRef<HTMLInputElement>(null);
  return (
    <>
      <select
        className="field w-[138px]"
        aria-label="Compare with"
        value={choice}
        onChange={(e) => (e.target.value === 'open' ? file.current?.click() : choose(e.target.value))}
      >
        <option value="">compare with …</option>
        {/* The newest is the present one. */}
        {kept.slice(1).map((k) => (
          <option key={k.id} value={k.id}>
            {sayKept(k)}: {bytes(k.totalBytes)}
          </option>
        ))}
        {choice === 'file' && <option value="file">a profile from a file</option>}
        <option value="open">open a profile …</option>
      </select>
      <input
        ref={file}
        type="file"
        accept=".json,application/json"
        className="hidden"
        aria-label="File of a profile"
        onChange={(e) => {
          const [one] = e.target.files ?? [];
          if (one) void open(one);
          e.target.value = '';
        }}
      />
    </>
  );
}

const ITEM = 'rowlink block px-3 py-1 data-focus:bg-paper';

/** A profile to hand on: it says nothing of the data but counts and sizes. */
function SaveMenu({ state }: { state: ProfileState | undefined }) {
  const { model } = useModel();
  const document = (formulas: boolean) =>
    profileDocument(state!.profile, model, { at: state!.at, revision: state!.revision, formulas });
  const json = (formulas: boolean) =>
    saveFile(
      `${model.name}.profile.json`,
      `${JSON.stringify(document(formulas), null, 2)}\n`,
      'application/json',
    );
  const page = () => saveFile(`${model.name}.profile.html`, profilePage(document(false)), 'text/html');
  return (
    <Menu>
      <MenuButton
        className="btn"
        disabled={!state}
        aria-label="Save the profile"
        title="Holds no value of the data"
      >
        <Download size={14} aria-hidden />
      </MenuButton>
      <MenuItems
        anchor="bottom end"
        className="z-30 min-w-[220px] border border-rule-strong bg-raised py-1 shadow-lg focus:outline-none"
      >
        <MenuItem>
          <button className={ITEM} onClick={page}>
            Page to hand on (HTML)
          </button>
        </MenuItem>
        <MenuItem>
          <button className={ITEM} onClick={() => json(false)}>
            Profile to hand on (JSON)
          </button>
        </MenuItem>
        <MenuItem>
          <button className={ITEM} onClick={() => json(true)}>
            The same with formulas
          </button>
        </MenuItem>
      </MenuItems>
    </Menu>
  );
}
