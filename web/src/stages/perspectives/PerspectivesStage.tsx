import { useMemo, useState } from 'react';
import { Plus } from 'lucide-react';
import type { Perspective } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useParam, useSelection } from '../../state/selection.ts';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { count } from '../../parts/text.ts';
import { linesOfGrid } from './objects.ts';
import { PerspectiveGrid } from './PerspectiveGrid.tsx';
import { UsedUnseen } from './UsedUnseen.tsx';

/** Objects against audiences in one grid: what each audience sees, and under which title. */
export function PerspectivesStage() {
  const { model, measures } = useModel();
  const [selection] = useSelection();
  const [search, setSearch] = useParam('search');
  const [onlyDifferent, setOnlyDifferent] = useState(false);
  const [turned, setTurned] = useState<ReadonlySet<string>>(new Set());
  const perspectives = model.perspectives ?? [];
  const selected =
    selection?.kind === 'perspective'
      ? perspectives.find((p) => sameName(p.name, selection.name))
      : undefined;
  const lines = useMemo(
    () => linesOfGrid(model, measures, { search: search ?? '', onlyDifferent, turned }),
    [model, measures, search, onlyDifferent, turned],
  );
  const turn = (key: string) =>
    setTurned((before) => {
      const next = new Set(before);
      if (!next.delete(key)) next.add(key);
      return next;
    });
  const design = (
    <>
      <LeafHead title="Perspectives" note={count(perspectives.length)}>
        <NewAudience />
      </LeafHead>
      {perspectives.length === 0 ? (
        <Blank>
          No perspectives yet: everybody sees the whole model. Add an audience above, then choose what it
          sees.
        </Blank>
      ) : (
        <>
          <div className="flex items-center gap-3 border-b border-rule px-4 py-[6px]">
            <input
              className="field min-w-0 flex-1"
              type="search"
              placeholder="Filter tables, columns, hierarchies, measures, listings, trials"
              aria-label="Filter objects"
              value={search ?? ''}
              onChange={(e) => setSearch(e.target.value || undefined)}
            />
            <label className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={onlyDifferent}
                onChange={(e) => setOnlyDifferent(e.target.checked)}
              />
              only differences
            </label>
          </div>
          <PerspectiveGrid lines={lines} selected={selected} turned={turned} onTurn={turn} />
        </>
      )}
    </>
  );
  return (
    <Leaves
      label="Perspectives"
      design={design}
      evidence={<EvidenceLeaf>{selected && <UsedUnseen perspective={selected} />}</EvidenceLeaf>}
    />
  );
}

function NewAudience() {
  const { edit } = useModel();
  const [, select] = useSelection();
  const [name, setName] = useState('');
  const add = async () => {
    const value: Perspective = { name: name.trim(), tables: [], columns: [], hierarchies: [], measures: [] };
    if (await edit([{ do: 'put-perspectives', name: null, value }], `add the perspective ${value.name}`)) {
      select({ kind: 'perspective', name: value.name });
      setName('');
    }
  };
  return (
    <form
      className="flex gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void add();
      }}
    >
      <input
        className="field w-[160px]"
        placeholder="Name of an audience"
        aria-label="Name of an audience"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button className="btn" disabled={name.trim() === ''}>
        <Plus size={14} aria-hidden /> Audience
      </button>
    </form>
  );
}
