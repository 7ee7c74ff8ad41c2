import type { Table } from '@crease/core/model';
import { useState } from 'react';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { sameName } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { saveFile } from '../../state/save.ts';
import { diagramPng, diagramSvg, printDiagram } from '../../parts/diagram/picture.tsx';
import { layOutStars, neighboursOf } from '../../parts/diagram/layout.ts';
import type { OpenDiagram } from './useDiagram.ts';
import { ALL, firstTables } from './useDiagram.ts';

/** Which diagram is shown, what its cards list, and ways to take it along. */
export function DiagramBar({
  open,
  table,
  reach,
  onReach,
}: {
  open: OpenDiagram;
  /** The selected table. */
  table: string | undefined;
  reach: boolean;
  onReach: (on: boolean) => void;
}) {
  const { model, claims } = useModel();
  const [naming, setNaming] = useState<'new' | 'name'>();
  const { isAll } = open;
  const shows = (name: string) => isAll || open.diagram!.tables.some((t) => sameName(t.table, name));
  const near = table === undefined || isAll ? [] : neighboursOf(model, table).filter((n) => !shows(n));
  const others = isAll ? [] : model.tables.filter((t) => !shows(t.name));
  const file = `${model.name}.${open.name.toLowerCase().replaceAll(' ', '-')}`;
  const title = `${model.title ?? model.name}: ${open.name}`;
  const drawing = () => ({
    title,
    claims: claims?.claims ?? [],
    ...layOutStars(open.part, open.detail, open.positions),
  });
  const exports = [
    {
      says: 'SVG',
      run: async () => saveFile(`${file}.svg`, (await diagramSvg(drawing())).text, 'image/svg+xml'),
    },
    {
      says: 'PNG',
      run: async () => {
        const blob = await diagramPng(drawing());
        if (blob) saveFile(`${file}.png`, blob, 'image/png');
      },
    },
    {
      says: 'Print',
      run: () => printDiagram(drawing()),
    },
  ];
  if (naming)
    return (
      <NameForm
        known={[ALL, ...open.named.map((d) => d.name)].filter(
          (n) => naming === 'new' || !sameName(n, open.name),
        )}
        first={naming === 'new' ? '' : open.name}
        says={naming === 'new' ? 'Create' : 'Rename'}
        note={
          naming === 'new'
            ? `with ${firstTables(model, table).slice(0, 5).join(', ')}${firstTables(model, table).length > 5 ? ' …' : ''}`
            : ''
        }
        onDone={(name) => {
          setNaming(undefined);
          if (name === undefined) return;
          if (naming === 'new') void open.create(name, firstTables(model, table));
          else open.rename(name);
        }}
      />
    );
  return (
    <div
      className="flex flex-wrap items-center gap-2 border-b border-rule px-4 py-[6px]"
      role="toolbar"
      aria-label="Diagram"
    >
      <select
        className="field max-w-[190px]"
        aria-label="Diagram"
        value={open.name}
        onChange={(e) => open.open(e.target.value)}
      >
        <option>{ALL}</option>
        {open.named.map((d) => (
          <option key={d.name}>{d.name}</option>
        ))}
      </select>
      <select
        className="field"
        aria-label="Cards list"
        value={open.detail}
        onChange={(e) => open.setDetail(e.target.value as 'keys' | 'columns')}
      >
        <option value="keys">keys</option>
        <option value="columns">all columns</option>
      </select>
      <button
        className="btn"
        aria-pressed={reach}
        disabled={table === undefined}
        title={table === undefined ? 'Select a table first' : `What filters on ${table} reach`}
        onClick={() => onReach(!reach)}
      >
        Reach
      </button>
      {near.length > 0 && (
        <button className="btn" onClick={() => open.add(near)} title={near.join(', ')}>
          Neighbours of {table} +{near.length}
        </button>
      )}
      {others.length > 0 && <AddTable open={open} others={others} />}
      {!isAll && table !== undefined && shows(table) && (
        <button className="btn btn-bare" onClick={() => open.leaveOut(table)}>
          Remove {table}
        </button>
      )}
      <span className="flex-1" />
      <MoreMenu setNaming={setNaming} isAll={isAll} open={open} exports={exports} />
    </div>
  );
}

function Item({ onClick, children }: { onClick: () => void; children: React.ReactNode }) {
  return (
    <MenuItem>
      <button className="block w-full px-3 py-1 text-left data-focus:bg-paper" onClick={onClick}>
        {children}
      </button>
    </MenuItem>
  );
}

function NameForm({
  known,
  first,
  says,
  note,
  onDone,
}: {
  known: readonly string[];
  first: string;
  says: string;
  note: string;
  onDone: (name: string | undefined) => void;
}) {
  const [name, setName] = useState(first);
  const taken = known.some((k) => sameName(k, name.trim()));
  return (
    <form
      className="flex flex-wrap items-center gap-2 border-b border-rule bg-raised px-4 py-[6px]"
      aria-label="Name of the diagram"
      onSubmit={(e) => {
        e.preventDefault();
        if (name.trim() !== '' && !taken) onDone(name.trim());
      }}
      onKeyDown={(e) => e.key === 'Escape' && onDone(undefined)}
    >
      <input
        className="field w-[190px]"
        autoFocus
        aria-label="Name"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button className="btn btn-act" disabled={name.trim() === '' || taken}>
        {says}
      </button>
      <button type="button" className="btn btn-bare" onClick={() => onDone(undefined)}>
        Cancel
      </button>
      <span className={taken ? 'text-vermilion' : 'text-soft'}>
        {taken ? 'a diagram of this name already exists' : note}
      </span>
    </form>
  );
}

/** Tables that the diagram does not show. */
function AddTable({ open, others }: { open: OpenDiagram; others: readonly Table[] }) {
  return (
    <select
      className="field max-w-[120px]"
      aria-label="Add a table"
      value=""
      onChange={(e) => e.target.value && open.add([e.target.value])}
    >
      <option value="">add …</option>
      {others.map((t) => (
        <option key={t.name}>{t.name}</option>
      ))}
    </select>
  );
}

/** Acts on the diagram that are seldom wanted. */
function MoreMenu({
  setNaming,
  isAll,
  open,
  exports,
}: {
  setNaming: (next: 'name' | 'new' | undefined) => void;
  isAll: boolean;
  open: OpenDiagram;
  exports: { says: string; run: () => Promise<void> }[];
}) {
  const { fail } = useModel();
  return (
    <Menu as="span" className="relative">
      <MenuButton className="btn">More …</MenuButton>
      <MenuItems
        anchor="bottom end"
        className="z-20 min-w-[160px] border border-ink bg-raised py-1 shadow-md"
      >
        <Item onClick={() => setNaming('new')}>New diagram</Item>
        {!isAll && <Item onClick={() => setNaming('name')}>Rename</Item>}
        {!isAll && <Item onClick={() => open.remove()}>Delete</Item>}
        {open.positions.size > 0 && <Item onClick={() => open.tidy()}>Reset layout</Item>}
        {exports.map((e) => (
          <Item key={e.says} onClick={() => void Promise.resolve(e.run()).catch(fail)}>
            {e.says === 'Print' ? 'Print' : `Save as ${e.says}`}
          </Item>
        ))}
      </MenuItems>
    </Menu>
  );
}
