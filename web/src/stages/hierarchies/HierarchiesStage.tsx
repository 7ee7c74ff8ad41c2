import { useMemo, useState } from 'react';
import { Plus } from 'lucide-react';
import type { JudgedClaim } from '@crease/core/claims';
import type { Hierarchy } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { RemoveButton } from '../../parts/RemoveButton.tsx';
import { useModel } from '../../state/model.tsx';
import { useParam, useSelection } from '../../state/selection.ts';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { VerdictMark } from '../../parts/Marks.tsx';
import { count } from '../../parts/text.ts';
import { Calendars } from './Calendars.tsx';
import { FoundLevels } from './FoundLevels.tsx';
import { LevelStack } from './LevelStack.tsx';
import { MemberTree } from './MemberTree.tsx';
import { TreeDesign } from './TreeDesign.tsx';
import { pathOf } from './useHierarchy.ts';

/**
 * Hierarchies: levels as rungs, parent-child trees, calendars; members to browse. A path is tried before it
 * is kept.
 */
export function HierarchiesStage() {
  const { model, claims, edit } = useModel();
  const [selection, select] = useSelection();
  const [view, setView] = useParam('view');
  const [tried, setTried] = useState<Hierarchy>();
  const hierarchies = model.hierarchies ?? [];
  const named =
    selection?.kind === 'hierarchy'
      ? hierarchies.find((h) => sameName(pathOf(h), selection.name))
      : selection?.kind === 'claim'
        ? hierarchies.find((h) => selection.name.includes(pathOf(h)))
        : undefined;
  const stored = named ?? hierarchies[0];
  const current = tried ?? stored;
  const dimension =
    selection?.kind === 'table'
      ? selection.name
      : (model.tables.find((t) => t.role === 'dimension') ?? model.tables[0])?.name;
  const broken = useMemo(() => brokenHierarchies(claims?.claims ?? []), [claims]);
  const begin = () => {
    if (dimension === undefined) return;
    setView(undefined);
    setTried({ name: '', table: current && !tried ? current.table : dimension, levels: [] });
  };
  const keep = async () => {
    if (!tried) return;
    const value = { ...tried, name: tried.name.trim() };
    if (
      !(await edit(
        [{ do: 'put-hierarchies', name: null, value }],
        `add the hierarchy ${value.name} of ${value.table}`,
      ))
    )
      return;
    setTried(undefined);
    select({ kind: 'hierarchy', name: pathOf(value) });
  };
  const change = (next: Hierarchy, says: string) =>
    tried
      ? setTried(next)
      : void edit([{ do: 'put-hierarchies', name: stored!.name, value: { ...next } }], says);
  const shown = view === 'calendars' && !tried ? 'calendars' : 'hierarchy';
  const design = (
    <>
      <LeafHead title="Hierarchies" note={count(hierarchies.length)}>
        <button
          className="btn"
          aria-pressed={shown === 'calendars'}
          onClick={() => setView(shown === 'calendars' ? undefined : 'calendars')}
        >
          Calendars
        </button>
        <button className="btn" onClick={begin} disabled={model.tables.length === 0}>
          <Plus size={14} aria-hidden /> Try a path
        </button>
      </LeafHead>
      {hierarchies.length > 0 && (
        <HierarchyTabs
          hierarchies={hierarchies}
          current={current}
          shown={shown}
          setTried={setTried}
          setView={setView}
          isBroken={(h) => broken.has(pathOf(h))}
        />
      )}
      {shown === 'calendars' ? (
        <Calendars />
      ) : (
        <>
          {tried && (
            <TriedHead
              tried={tried}
              onChange={setTried}
              onKeep={() => void keep()}
              onLeave={() => setTried(undefined)}
            />
          )}
          {!current && (
            <Blank
              act={
                <button className="btn btn-act" onClick={begin} disabled={model.tables.length === 0}>
                  Try a path
                </button>
              }
            >
              No hierarchies yet. A hierarchy stacks columns of a dimension, such as region over district over
              branch, or follows a parent column.
            </Blank>
          )}
          {current &&
            (current.parent !== undefined ? (
              <TreeDesign key={tried ? 'tried' : pathOf(current)} hierarchy={current} onChange={change} />
            ) : (
              <LevelStack
                key={tried ? `tried ${tried.table}` : pathOf(current)}
                hierarchy={current}
                onChange={(levels, says) => change({ ...current, levels }, says)}
              />
            ))}
          {stored && !tried && <HierarchyFoot stored={stored} hierarchies={hierarchies} />}
        </>
      )}
    </>
  );
  return (
    <Leaves
      label="Hierarchies"
      design={design}
      evidence={<HierarchyEvidence current={current} shown={shown} tried={tried} setTried={setTried} />}
    />
  );
}

/** Paths of the hierarchies that something broken is said of. */
const brokenHierarchies = (claims: readonly JudgedClaim[]): ReadonlySet<string | undefined> =>
  new Set(claims.filter((c) => c.verdict === 'broken').flatMap((c) => c.about.map((a) => a.hierarchy)));

/** The name, the table and the kind of a path that is tried, and the button that keeps it. */
function TriedHead({
  tried,
  onChange,
  onKeep,
  onLeave,
}: {
  tried: Hierarchy;
  onChange: (next: Hierarchy) => void;
  onKeep: () => void;
  onLeave: () => void;
}) {
  const { model } = useModel();
  const table = model.tables.find((t) => t.name === tried.table);
  const taken = (model.hierarchies ?? []).some(
    (h) => sameName(h.table, tried.table) && sameName(h.name, tried.name.trim()),
  );
  const empty = tried.parent === undefined && (tried.levels ?? []).length === 0;
  return (
    <form
      className="flex flex-wrap items-center gap-2 border-b border-rule bg-raised px-4 py-2"
      aria-label="Unsaved hierarchy"
      onSubmit={(e) => {
        e.preventDefault();
        if (tried.name.trim() !== '' && !taken && !empty) onKeep();
      }}
    >
      <input
        className="field w-[150px]"
        placeholder="Name"
        aria-label="Name of the hierarchy"
        value={tried.name}
        onChange={(e) => onChange({ ...tried, name: e.target.value })}
      />
      <select
        className="field"
        aria-label="Table of the hierarchy"
        value={tried.table}
        onChange={(e) => onChange({ name: tried.name, table: e.target.value, levels: [] })}
      >
        {model.tables.map((t) => (
          <option key={t.name}>{t.name}</option>
        ))}
      </select>
      <select
        className="field"
        aria-label="Kind"
        value={tried.parent ?? ''}
        onChange={(e) =>
          onChange(
            e.target.value === ''
              ? { name: tried.name, table: tried.table, levels: [] }
              : {
                  name: tried.name,
                  table: tried.table,
                  parent: e.target.value,
                  ...(table?.label ? { label: table.label } : {}),
                },
          )
        }
      >
        <option value="">levels of columns</option>
        {(table?.columns ?? []).map((c) => (
          <option key={c.name} value={c.name}>
            parent in {c.name}
          </option>
        ))}
      </select>
      <button className="btn btn-act" disabled={tried.name.trim() === '' || taken || empty}>
        Save
      </button>
      <button type="button" className="btn btn-bare" onClick={onLeave}>
        Cancel
      </button>
      {taken && <span className="text-vermilion">{tried.table} already has a hierarchy of this name</span>}
    </form>
  );
}

/** The hierarchies of the model, to choose from. */
function HierarchyTabs({
  hierarchies,
  current,
  shown,
  setTried,
  setView,
  isBroken,
}: {
  hierarchies: readonly Hierarchy[];
  current: Hierarchy;
  shown: 'hierarchy' | 'calendars';
  setTried: (next: Hierarchy | undefined) => void;
  setView: (value: string | undefined) => void;
  isBroken: (h: Hierarchy) => boolean;
}) {
  const [, select] = useSelection();
  return (
    <div
      className="flex max-h-[96px] flex-wrap gap-1 overflow-auto border-b border-rule px-4 py-2"
      role="tablist"
      aria-label="Hierarchies"
    >
      {hierarchies.map((h) => {
        const chosen = h === current && shown === 'hierarchy';
        return (
          <button
            key={pathOf(h)}
            role="tab"
            aria-selected={chosen}
            className={`btn ${chosen ? 'bg-ink text-leaf' : ''}`}
            onClick={() => {
              setTried(undefined);
              setView(undefined);
              select({ kind: 'hierarchy', name: pathOf(h) });
            }}
          >
            {pathOf(h)} {isBroken(h) && <VerdictMark verdict="broken" size={10} />}
          </button>
        );
      })}
    </div>
  );
}

/** Whether a hierarchy is the default of its table, and its removal. */
function HierarchyFoot({ stored, hierarchies }: { stored: Hierarchy; hierarchies: readonly Hierarchy[] }) {
  const { edit } = useModel();
  const [, select] = useSelection();
  return (
    <footer className="flex items-center gap-3 border-t border-rule px-4 py-2">
      <label
        className="flex items-center gap-1 text-soft"
        title="Used by trials and targets where none is named"
      >
        <input
          type="checkbox"
          checked={stored.default === true}
          onChange={(e) => {
            const same = hierarchies.filter((h) => h.table === stored.table && h !== stored && h.default);
            void edit(
              [stored, ...(e.target.checked ? same : [])].map((h) => ({
                do: 'put-hierarchies' as const,
                name: h.name,
                value: { ...h, default: h === stored && e.target.checked },
              })),
              e.target.checked
                ? `make ${stored.name} the default hierarchy of ${stored.table}`
                : `${stored.table} has no default hierarchy`,
            );
          }}
        />
        default of {stored.table}
      </label>
      <span className="flex-1" />
      <RemoveButton
        edit={[{ do: 'remove-hierarchies', name: pathOf(stored) }]}
        says={`remove the hierarchy ${pathOf(stored)}`}
        onDone={() => select(undefined)}
      >
        Delete hierarchy
      </RemoveButton>
    </footer>
  );
}

/** Members of the hierarchy; levels that were found in the rows where a path is tried. */
function HierarchyEvidence({
  current,
  shown,
  tried,
  setTried,
}: {
  current: Hierarchy;
  shown: 'hierarchy' | 'calendars';
  tried: Hierarchy | undefined;
  setTried: (next: Hierarchy | undefined) => void;
}) {
  const { model } = useModel();
  return (
    <EvidenceLeaf>
      {current && shown === 'hierarchy' && (
        <MemberTree key={tried ? 'tried' : pathOf(current)} hierarchy={current} />
      )}
      {(tried !== undefined || (!current && model.tables.length > 0)) && (
        <FoundLevels
          table={tried?.table ?? ''}
          onTry={(h) =>
            setTried({
              ...h,
              name: tried?.name || `${h.levels?.[0]?.name ?? ''} to ${h.levels?.at(-1)?.name ?? ''}`,
            })
          }
        />
      )}
    </EvidenceLeaf>
  );
}
