import type { Hierarchy } from '@crease/core/model';
import type { TreeFact } from '@crease/core/query';
import { useModel } from '../../state/model.tsx';
import { cellText, count, many } from '../../parts/text.ts';
import { useFacts } from './useHierarchy.ts';

/**
 * A parent-child hierarchy: its columns, its depths and branches, and whether members show rows of their own.
 */
export function TreeDesign({
  hierarchy: h,
  onChange,
}: {
  hierarchy: Hierarchy;
  onChange: (next: Hierarchy, says: string) => void;
}) {
  const { names } = useModel();
  const { data, error } = useFacts(h);
  const columns = (names.table(h.table)?.columns ?? []).map((c) => c.name);
  const facts = data?.levels ?? [];
  const most = Math.max(1, ...facts.map((f) => f.members));
  const tree = data?.tree;
  const choose = (
    label: string,
    value: string | undefined,
    empty: string | undefined,
    set: (value: string) => void,
  ) => (
    <label className="flex items-center gap-2 text-soft">
      <span className="w-[74px]">{label}</span>
      <select className="field" value={value ?? ''} onChange={(e) => set(e.target.value)}>
        {empty !== undefined && <option value="">{empty}</option>}
        {columns.map((c) => (
          <option key={c}>{c}</option>
        ))}
      </select>
    </label>
  );
  const optional = (field: 'key' | 'label', value: string): Hierarchy => {
    const { [field]: _, ...rest } = h;
    return value === '' ? rest : { ...rest, [field]: value };
  };
  return (
    <div className="min-h-0 flex-1 overflow-auto p-4">
      {error && (
        <p className="mb-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-1">{error.message}</p>
      )}
      <div className="mb-3 flex flex-wrap gap-x-5 gap-y-2">
        {choose('parent in', h.parent, undefined, (parent) =>
          onChange({ ...h, parent }, `set the parent of ${h.name} to ${parent}`),
        )}
        {choose('key', h.key, `the table's: ${names.table(h.table)?.key?.[0] ?? 'none'}`, (key) =>
          onChange(optional('key', key), `set the key of ${h.name} to ${key || 'that of the table'}`),
        )}
        {choose('Label', h.label, 'the key', (label) =>
          onChange(optional('label', label), `set the label of ${h.name} to ${label || 'its key'}`),
        )}
        <label className="flex items-center gap-2 text-soft">
          <span>Members' own rows</span>
          <select
            className="field"
            value={h.ownRows ?? 'shown'}
            onChange={(e) =>
              onChange(
                { ...h, ownRows: e.target.value as 'shown' | 'hidden' },
                `set members' own rows of ${h.name} to ${e.target.value}`,
              )
            }
          >
            <option value="shown">shown</option>
            <option value="hidden">hidden, counted in totals</option>
          </select>
        </label>
      </div>
      <ol aria-label="Members at each depth">
        {facts.map((f) => (
          <li key={f.name} className="mb-2 flex items-center gap-3">
            <span className="w-[70px] text-soft">{f.name}</span>
            <span
              className="h-[22px] border border-ink bg-raised"
              style={{ width: `${(12 + (88 * Math.log1p(f.members)) / Math.log1p(most)) * 0.6}%` }}
            />
            <span className="tabular-nums">{count(f.members)}</span>
          </li>
        ))}
      </ol>
      {tree && (
        <>
          <p className="mt-3">
            {many(tree.members, 'member')}, {many(tree.roots, 'top')}, {count(tree.leaves)} without members
            below
            {tree.onLoops > 0 && (
              <span className="text-vermilion"> · {count(tree.onLoops)} on a cycle or below one</span>
            )}
            {tree.unknownParents > 0 && (
              <span className="text-vermilion">
                {' '}
                · {count(tree.unknownParents)} with a parent that does not exist
              </span>
            )}
            {tree.sharedLabels > 0 && (
              <span className="text-vermilion"> · {many(tree.sharedLabels, 'label')} with several rows</span>
            )}
          </p>
          {tree.branches.length > 0 && <Branches tree={tree} />}
        </>
      )}
    </div>
  );
}

/** The tops of the tree, and how many members are below each. */
function Branches({ tree }: { tree: TreeFact }) {
  return (
    <table className="grid-plain mt-3" aria-label="Branches">
      <thead>
        <tr>
          <th scope="col">top</th>
          <th scope="col" className="num">
            members
          </th>
          <th scope="col" className="num">
            depth
          </th>
        </tr>
      </thead>
      <tbody>
        {tree.branches.map((b, i) => (
          <tr key={i}>
            <td>{cellText(b.label)}</td>
            <td className="num">{count(b.members)}</td>
            <td className="num">{count(b.depth)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
