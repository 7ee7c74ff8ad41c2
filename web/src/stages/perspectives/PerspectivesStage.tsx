import { useState } from 'react';
import { Link } from 'react-router';
import { Plus, X } from 'lucide-react';
import type { Perspective } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { RoleMark, VerdictMark } from '../../parts/Marks.tsx';
import { count } from '../../parts/text.ts';

type Part = 'tables' | 'hierarchies' | 'measures';

/** Objects against audiences in one grid: what each audience sees. */
export function PerspectivesStage() {
  const { model, claims, edit } = useModel();
  const [selection, select] = useSelection();
  const [name, setName] = useState('');
  const perspectives = model.perspectives ?? [];
  const rows: {
    part: Part;
    title: string;
    items: { name: string; mark?: Parameters<typeof RoleMark>[0]['role']; hidden?: boolean | undefined }[];
  }[] = [
    {
      part: 'tables',
      title: 'Dimensions',
      items: model.tables
        .filter((t) => t.role === 'dimension')
        .map((t) => ({ name: t.name, mark: t.role, hidden: t.hidden })),
    },
    {
      part: 'tables',
      title: 'Facts and bridges',
      items: model.tables
        .filter((t) => t.role === 'fact' || t.role === 'bridge')
        .map((t) => ({ name: t.name, mark: t.role, hidden: t.hidden })),
    },
    {
      part: 'hierarchies',
      title: 'Hierarchies',
      items: (model.hierarchies ?? []).map((h) => ({ name: `${h.table}.${h.name}` })),
    },
    {
      part: 'measures',
      title: 'Measures',
      items: (model.measures ?? []).map((m) => ({ name: m.name, hidden: m.hidden })),
    },
  ];
  const put = (p: Perspective, value: Perspective, says: string) =>
    void edit([{ do: 'put-perspectives', name: p.name, value }], says);
  const toggle = (p: Perspective, part: Part, item: string, on: boolean) =>
    put(
      p,
      { ...p, [part]: on ? [...(p[part] ?? []), item] : (p[part] ?? []).filter((x) => x !== item) },
      `${on ? 'show' : 'hide'} ${item} ${on ? 'to' : 'from'} ${p.name}`,
    );
  const isBroken = (p: Perspective) =>
    (claims?.claims ?? []).some(
      (c) => c.verdict === 'broken' && c.about.some((a) => a.perspective === p.name),
    );
  const add = async () => {
    if (
      await edit(
        [
          {
            do: 'put-perspectives',
            name: null,
            value: { name: name.trim(), tables: [], columns: [], hierarchies: [], measures: [] },
          },
        ],
        `add the perspective ${name.trim()}`,
      )
    ) {
      select({ kind: 'perspective', name: name.trim() });
      setName('');
    }
  };
  const design = (
    <>
      <LeafHead title="Perspectives" note={count(perspectives.length)}>
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
      </LeafHead>
      {perspectives.length === 0 ? (
        <Blank>
          No perspectives yet: everybody sees the whole model. Add an audience above, then choose what it
          sees.
        </Blank>
      ) : (
        <div className="min-h-0 flex-1 overflow-auto">
          <table className="grid-plain" aria-label="What each audience sees">
            <thead>
              <tr>
                <th scope="col">object</th>
                {perspectives.map((p) => (
                  <th
                    key={p.name}
                    scope="col"
                    className={
                      selection?.kind === 'perspective' && selection.name === p.name ? 'text-ink' : ''
                    }
                  >
                    <button
                      className="min-h-[24px] hover:underline"
                      onClick={() => select({ kind: 'perspective', name: p.name })}
                    >
                      {p.name}
                    </button>{' '}
                    {isBroken(p) && <VerdictMark verdict="broken" size={10} />}
                    <span className="mt-1 flex gap-2 font-normal">
                      <Link
                        className="inline-flex min-h-[24px] items-center underline"
                        to={`../trial?as=${encodeURIComponent(p.name)}`}
                        relative="path"
                      >
                        preview
                      </Link>
                      <button
                        onClick={() =>
                          void edit(
                            [{ do: 'remove-perspectives', name: p.name }],
                            `remove the perspective ${p.name}`,
                          )
                        }
                        className="min-h-[24px] min-w-[24px]"
                        aria-label={`Remove ${p.name}`}
                        title="Remove"
                      >
                        <X size={12} aria-hidden />
                      </button>
                    </span>
                  </th>
                ))}
              </tr>
            </thead>
            {rows
              .filter((r) => r.items.length > 0)
              .map((r) => (
                <tbody key={r.title}>
                  <tr>
                    <th
                      scope="rowgroup"
                      colSpan={perspectives.length + 1}
                      style={{ top: 46 }}
                      className="bg-paper"
                    >
                      {r.title}
                    </th>
                  </tr>
                  {r.items.map((item, i) => (
                    <tr key={`${item.name}${i}`} className={item.hidden ? 'opacity-55' : ''}>
                      <td>
                        <span className="flex items-center gap-2">
                          {item.mark && <RoleMark role={item.mark} size={12} />} {item.name}{' '}
                          {item.hidden && <span className="text-soft">hidden</span>}
                        </span>
                      </td>
                      {perspectives.map((p) => (
                        <td key={p.name}>
                          <input
                            type="checkbox"
                            aria-label={`${item.name} for ${p.name}`}
                            checked={(p[r.part] ?? []).includes(item.name)}
                            onChange={(e) => toggle(p, r.part, item.name, e.target.checked)}
                          />
                        </td>
                      ))}
                    </tr>
                  ))}
                </tbody>
              ))}
          </table>
        </div>
      )}
    </>
  );
  return <Leaves label="Perspectives" design={design} evidence={<EvidenceLeaf />} />;
}
