import { useState } from 'react';
import { ChevronRight } from 'lucide-react';
import { api } from '@crease/contract';
import type { Hierarchy } from '@crease/core/model';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { VerdictMark } from '../../parts/Marks.tsx';
import { count } from '../../parts/text.ts';
import { askedOf } from './useHierarchy.ts';

type Key = string | number | boolean | null;

/** The members as a user of the model browses them, of a hierarchy that is stored or only tried. */
export function MemberTree({ hierarchy }: { hierarchy: Hierarchy }) {
  const empty = hierarchy.parent === undefined && (hierarchy.levels ?? []).length === 0;
  return (
    <section aria-label="Members" className="border-b border-rule px-4 py-3">
      <h2 className="mb-1 text-[15px]">Members of {hierarchy.name || 'this hierarchy'}</h2>
      {empty ? (
        <p className="text-soft">Add a level to see its members.</p>
      ) : (
        <Branch key={askedOf(hierarchy)} hierarchy={hierarchy} path={[]} depth={0} />
      )}
    </section>
  );
}

function Branch({ hierarchy, path, depth }: { hierarchy: Hierarchy; path: Key[]; depth: number }) {
  const { id, state } = useModel();
  const [open, setOpen] = useState<ReadonlySet<string>>(new Set());
  const asked = askedOf(hierarchy);
  const { data, error } = useAnswer(
    api.questions.members,
    { id },
    {
      body: { hierarchy: JSON.parse(asked) as Hierarchy, path: [...path] },
      of: state.revision.id,
      keepPreviousData: true,
    },
  );
  if (error) return <p className="text-soft">{error.message}</p>;
  if (!data) return <p className="text-soft">…</p>;
  const own = hierarchy.parent !== undefined && hierarchy.ownRows !== 'hidden' && depth > 0;
  return (
    <ul role={depth === 0 ? 'tree' : 'group'} aria-label={depth === 0 ? 'Members' : undefined}>
      {data.members.length === 0 && depth === 0 && <li className="text-soft">no members</li>}
      {own && (
        <li
          role="treeitem"
          aria-selected={false}
          className="py-[2px] text-soft"
          style={{ paddingLeft: depth * 16 + 16 }}
        >
          <i title="Rows that belong to the member itself">own rows</i>
        </li>
      )}
      {data.members.map((m) => {
        const key = JSON.stringify(m.key);
        const isOpen = open.has(key);
        return (
          <li
            key={key}
            role="treeitem"
            aria-expanded={m.children > 0 ? isOpen : undefined}
            aria-selected={false}
          >
            <button
              className="rowlink flex items-center gap-1 py-[2px]"
              style={{ paddingLeft: depth * 16 }}
              disabled={m.children === 0}
              onClick={() =>
                setOpen((s) => (s.has(key) ? new Set([...s].filter((x) => x !== key)) : new Set([...s, key])))
              }
            >
              <ChevronRight
                size={12}
                aria-hidden
                className={`shrink-0 transition-transform ${isOpen ? 'rotate-90' : ''} ${m.children === 0 ? 'opacity-0' : ''}`}
              />
              <span className="min-w-0 truncate">
                {m.label === null ? <i className="text-soft">none</i> : String(m.label)}
              </span>
              {m.parents && (
                <span className="text-[11px] text-vermilion">
                  <VerdictMark verdict="broken" size={9} /> in {m.parents.join(' and ')}
                </span>
              )}
              <span className="ml-auto text-soft tabular-nums">
                {m.children > 0 ? count(m.children) : ''}
              </span>
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
