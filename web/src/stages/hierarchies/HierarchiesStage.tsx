import { useState } from 'react';
import useSWR from 'swr';
import { ArrowDown, ArrowUp, ChevronRight, Plus, X } from 'lucide-react';
import type { LevelFacts, Members } from '@crease/contract';
import type { Hierarchy } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { get, send } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { VerdictMark } from '../../parts/Marks.tsx';
import { count, many } from '../../parts/text.ts';
import { columnPath } from '../trial/attributes.ts';

const pathOf = (h: Hierarchy): string => `${h.table}.${h.name}`;

/** Hierarchies: levels as rungs whose width is the number of members, and the members to browse as a user would. */
export function HierarchiesStage() {
  const { model, claims } = useModel();
  const [selection, select] = useSelection();
  const [creating, setCreating] = useState(false);
  const hierarchies = model.hierarchies ?? [];
  const named =
    selection?.kind === 'hierarchy'
      ? hierarchies.find((h) => sameName(pathOf(h), selection.name))
      : selection?.kind === 'claim'
        ? hierarchies.find((h) => selection.name.includes(pathOf(h)))
        : undefined;
  const current = creating ? undefined : (named ?? hierarchies[0]);
  const isBroken = (h: Hierarchy) =>
    (claims?.claims ?? []).some((c) => c.verdict === 'broken' && c.about.some((a) => a.hierarchy === pathOf(h)));
  const design = (
    <>
      <LeafHead title="Hierarchies" note={count(hierarchies.length)}>
        <button className="btn" onClick={() => setCreating(true)}>
          <Plus size={14} aria-hidden /> Hierarchy
        </button>
      </LeafHead>
      <div className="flex flex-wrap gap-1 border-b border-rule px-4 py-2" role="tablist" aria-label="Hierarchies">
        {hierarchies.map((h) => (
          <button
            key={pathOf(h)}
            role="tab"
            aria-selected={h === current}
            className={`btn ${h === current ? 'bg-ink text-leaf' : ''}`}
            onClick={() => {
              setCreating(false);
              select({ kind: 'hierarchy', name: pathOf(h) });
            }}
          >
            {pathOf(h)} {isBroken(h) && <VerdictMark verdict="broken" size={10} />}
          </button>
        ))}
      </div>
      {creating && (
        <NewHierarchy
          onDone={(path) => {
            setCreating(false);
            if (path) select({ kind: 'hierarchy', name: path });
          }}
        />
      )}
      {!creating && !current && (
        <Blank
          act={
            <button className="btn btn-act" onClick={() => setCreating(true)}>
              Stack the first levels
            </button>
          }
        >
          No hierarchies yet. A hierarchy stacks columns of a dimension, such as region over district over branch, or follows a parent
          column.
        </Blank>
      )}
      {current && <HierarchyDesign key={pathOf(current)} hierarchy={current} />}
    </>
  );
  return (
    <Leaves
      label="Hierarchies"
      design={design}
      evidence={<EvidenceLeaf>{current && <Browse key={pathOf(current)} hierarchy={current} />}</EvidenceLeaf>}
    />
  );
}

function NewHierarchy({ onDone }: { onDone: (path?: string) => void }) {
  const { model, edit } = useModel();
  const [name, setName] = useState('');
  const [table, setTable] = useState(model.tables.find((t) => t.role === 'dimension')?.name ?? '');
  const [parent, setParent] = useState('');
  const found = model.tables.find((t) => t.name === table);
  const make = async () => {
    const value: Hierarchy = {
      name: name.trim(),
      table,
      ...(parent ? { parent, ...(found?.label ? { label: found.label } : {}) } : { levels: [] }),
    };
    if (await edit([{ do: 'put-hierarchies', name: null, value }], `add the hierarchy ${value.name}`)) onDone(pathOf(value));
  };
  return (
    <form
      className="flex flex-wrap items-center gap-2 border-b border-rule p-4"
      onSubmit={(e) => {
        e.preventDefault();
        void make();
      }}
    >
      <input
        className="field w-[170px]"
        autoFocus
        placeholder="Name"
        aria-label="Name of the hierarchy"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <select
        className="field"
        aria-label="Table of the hierarchy"
        value={table}
        onChange={(e) => {
          setTable(e.target.value);
          setParent('');
        }}
      >
        {model.tables
          .filter((t) => t.role !== 'fact')
          .map((t) => (
            <option key={t.name}>{t.name}</option>
          ))}
      </select>
      <select className="field" aria-label="Kind" value={parent} onChange={(e) => setParent(e.target.value)}>
        <option value="">levels of columns</option>
        {(found?.columns ?? []).map((c) => (
          <option key={c.name} value={c.name}>
            parent in {c.name}
          </option>
        ))}
      </select>
      <button className="btn btn-act" disabled={name.trim() === '' || table === ''}>
        Add
      </button>
      <button type="button" className="btn btn-bare" onClick={() => onDone()}>
        Leave it
      </button>
    </form>
  );
}

/** Columns that a level may show: of the table, and of what it looks up. */
function useLevelColumns(table: string): string[] {
  const { model } = useModel();
  const reached = new Set([table]);
  for (let grown = true; grown;) {
    grown = false;
    for (const r of model.relationships ?? []) {
      if (
        reached.has(r.from.table) &&
        !reached.has(r.to.table) &&
        r.default !== false &&
        (r.cardinality ?? 'many-to-one') !== 'many-to-many'
      ) {
        reached.add(r.to.table);
        grown = true;
      }
    }
  }
  return model.tables
    .filter((t) => reached.has(t.name))
    .flatMap((t) => t.columns.map((c) => (t.name === table ? c.name : columnPath(t.name, c.name))));
}

function HierarchyDesign({ hierarchy: h }: { hierarchy: Hierarchy }) {
  const { id, edit, names } = useModel();
  const [, select] = useSelection();
  const columns = useLevelColumns(h.table);
  const { data, error } = useSWR<LevelFacts, Error>(`/models/${id}/levels?hierarchy=${encodeURIComponent(pathOf(h))}`, get, {
    revalidateOnFocus: false,
    keepPreviousData: true,
  });
  const put = (levels: NonNullable<Hierarchy['levels']>, says: string) =>
    void edit([{ do: 'put-hierarchies', name: h.name, value: { ...h, levels } }], says);
  const levels = h.levels ?? [];
  const facts = data?.levels ?? [];
  const most = Math.max(1, ...facts.map((f) => f.members));
  // Members grow by orders of magnitude from level to level: widths follow the logarithm.
  const width = (members: number) => 12 + (88 * Math.log1p(members)) / Math.log1p(most);
  const move = (i: number, to: number) => {
    const next = levels.slice();
    [next[i], next[to]] = [next[to]!, next[i]!];
    put(next, `move ${levels[i]!.name} ${to < i ? 'up' : 'down'} in ${h.name}`);
  };
  const add = (column: string) => {
    const base = column.split('.').at(-1)!.replaceAll('_', ' ').replaceAll('"', '');
    const title = base.charAt(0).toUpperCase() + base.slice(1);
    const name = levels.some((l) => sameName(l.name, title)) ? column : title;
    put([...levels, { name, column }], `add the level ${name} to ${h.name}`);
  };
  return (
    <div className="min-h-0 flex-1 overflow-auto p-4">
      {error && <p className="mb-3 whitespace-pre-line border-l-4 border-vermilion bg-vermilion-wash px-3 py-1">{error.message}</p>}
      {h.parent !== undefined ? (
        <>
          <p className="mb-3">
            Members of {h.table} hang on each other by <b>{h.parent}</b>, shown by <b>{h.label ?? 'their key'}</b>.
            <label className="ml-4 text-soft">
              label{' '}
              <select
                className="field"
                value={h.label ?? ''}
                onChange={(e) =>
                  void edit(
                    [{ do: 'put-hierarchies', name: h.name, value: { ...h, label: e.target.value || undefined } }],
                    `show members of ${h.name} by ${e.target.value}`,
                  )
                }
              >
                <option value="">key</option>
                {(names.table(h.table)?.columns ?? []).map((c) => (
                  <option key={c.name}>{c.name}</option>
                ))}
              </select>
            </label>
          </p>
          <ol>
            {facts.map((f) => (
              <li key={f.name} className="mb-2 flex items-center gap-3">
                <span className="w-[76px] text-soft">{f.name}</span>
                <span className="h-[24px] border border-ink bg-raised" style={{ width: `${width(f.members) * 0.7}%` }} />
                <span className="tabular-nums">{count(f.members)}</span>
                {f.torn > 0 && <span className="text-vermilion">{many(f.torn, 'member')} on a loop or below one</span>}
              </li>
            ))}
          </ol>
        </>
      ) : (
        <ol aria-label="Levels from the top">
          {levels.map((level, i) => {
            const f = facts[i];
            return (
              <li key={`${level.name}${i}`} className="mb-[6px] flex items-center gap-2">
                <span className="flex flex-1 justify-center">
                  <span
                    className={`flex h-[38px] items-center justify-between gap-2 border bg-raised px-3 ${f && f.torn > 0 ? 'border-vermilion' : 'border-ink'}`}
                    style={{ width: `${f ? width(f.members) : 40}%`, minWidth: 190 }}
                  >
                    <span
                      className="min-w-0 truncate font-serif font-semibold"
                      title={`column ${level.column}${level.key === undefined ? '' : `, key ${[level.key].flat().join(', ')}`}`}
                    >
                      {level.name}
                    </span>
                    <span className="whitespace-nowrap tabular-nums text-soft">{f ? many(f.members, 'member') : ''}</span>
                  </span>
                </span>
                <span className="w-[170px] text-[12px]">
                  {f && f.torn > 0 && (
                    <span className="block text-vermilion">
                      <VerdictMark verdict="broken" size={9} /> {many(f.torn, 'member')} in two of {levels[i - 1]!.name}
                    </span>
                  )}
                  {f && f.nulls > 0 && <span className="block text-soft">{many(f.nulls, 'row')} without</span>}
                  {(!f || (f.torn === 0 && f.nulls === 0)) && <span className="block truncate text-soft">{level.column}</span>}
                </span>
                <span className="flex">
                  <button
                    className="btn btn-bare px-1"
                    disabled={i === 0}
                    onClick={() => move(i, i - 1)}
                    aria-label={`Move ${level.name} up`}
                  >
                    <ArrowUp size={13} aria-hidden />
                  </button>
                  <button
                    className="btn btn-bare px-1"
                    disabled={i === levels.length - 1}
                    onClick={() => move(i, i + 1)}
                    aria-label={`Move ${level.name} down`}
                  >
                    <ArrowDown size={13} aria-hidden />
                  </button>
                  <button
                    className="btn btn-bare px-1"
                    onClick={() =>
                      put(
                        levels.filter((_, j) => j !== i),
                        `take ${level.name} out of ${h.name}`,
                      )
                    }
                    aria-label={`Take ${level.name} out`}
                  >
                    <X size={13} aria-hidden />
                  </button>
                </span>
              </li>
            );
          })}
        </ol>
      )}
      <div className="mt-4 flex items-center gap-3">
        {h.parent === undefined && (
          <select className="field" value="" aria-label="Add a level" onChange={(e) => e.target.value && add(e.target.value)}>
            <option value="">add a level below …</option>
            {columns
              .filter((c) => !levels.some((l) => l.column === c))
              .map((c) => (
                <option key={c}>{c}</option>
              ))}
          </select>
        )}
        <span className="flex-1" />
        <button
          className="btn"
          onClick={() =>
            void edit([{ do: 'remove-hierarchies', name: pathOf(h) }], `remove the hierarchy ${pathOf(h)}`).then(
              (done) => done && select(undefined),
            )
          }
        >
          Remove the hierarchy
        </button>
      </div>
    </div>
  );
}

function Browse({ hierarchy }: { hierarchy: Hierarchy }) {
  return (
    <section aria-label="Members" className="border-b border-rule px-4 py-3">
      <h2 className="mb-1 text-[15px]">Members of {hierarchy.name}</h2>
      <Branch hierarchy={hierarchy} path={[]} depth={0} />
    </section>
  );
}

function Branch({ hierarchy, path, depth }: { hierarchy: Hierarchy; path: (string | number | boolean | null)[]; depth: number }) {
  const { id, state } = useModel();
  const [open, setOpen] = useState<ReadonlySet<string>>(new Set());
  const name = pathOf(hierarchy);
  const { data, error } = useSWR<Members, Error>(
    [`/models/${id}/members`, name, path, state.revision.id],
    () => send<Members>(`/models/${id}/members`, { hierarchy: name, path }),
    { revalidateOnFocus: false, keepPreviousData: true },
  );
  if (error) return <p className="text-soft">{error.message}</p>;
  if (!data) return <p className="text-soft">…</p>;
  return (
    <ul role={depth === 0 ? 'tree' : 'group'} aria-label={depth === 0 ? `Members of ${hierarchy.name}` : undefined}>
      {data.members.length === 0 && depth === 0 && <li className="text-soft">no members</li>}
      {data.members.map((m) => {
        const key = JSON.stringify(m.key);
        const isOpen = open.has(key);
        return (
          <li key={key} role="treeitem" aria-expanded={m.children > 0 ? isOpen : undefined} aria-selected={false}>
            <button
              className="rowlink flex items-center gap-1 py-[2px]"
              style={{ paddingLeft: depth * 16 }}
              disabled={m.children === 0}
              onClick={() => setOpen((s) => (s.has(key) ? new Set([...s].filter((x) => x !== key)) : new Set([...s, key])))}
            >
              <ChevronRight
                size={12}
                aria-hidden
                className={`shrink-0 transition-transform ${isOpen ? 'rotate-90' : ''} ${m.children === 0 ? 'opacity-0' : ''}`}
              />
              <span className="min-w-0 truncate">{m.label === null ? <i className="text-soft">none</i> : String(m.label)}</span>
              {m.parents && (
                <span className="text-[11px] text-vermilion">
                  <VerdictMark verdict="broken" size={9} /> in {m.parents.join(' and ')}
                </span>
              )}
              <span className="ml-auto text-soft tabular-nums">{m.children > 0 ? count(m.children) : ''}</span>
            </button>
            {isOpen && <Branch hierarchy={hierarchy} path={[...path, m.key]} depth={depth + 1} />}
          </li>
        );
      })}
      {data.more > 0 && (
        <li className="text-soft" style={{ paddingLeft: depth * 16 + 16 }}>
          {count(data.more)} more
        </li>
      )}
    </ul>
  );
}
