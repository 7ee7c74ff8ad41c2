import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import type { UsedBy } from './catalog.ts';

/** What a measure uses, and what uses it, by the checked formulas; each leads there. */
export function MeasureUse({
  name,
  uses,
  usedBy,
}: {
  name: string;
  uses: ReadonlyMap<string, readonly string[]>;
  usedBy: UsedBy;
}) {
  const { names } = useModel();
  const [, select] = useSelection();
  const [own, users] = [uses.get(name.toLowerCase()) ?? [], usedBy.get(name.toLowerCase()) ?? []];
  if (own.length === 0 && users.length === 0) return null;
  const link = (other: string) => (
    <button
      key={other}
      className="mr-2 underline decoration-rule-strong hover:decoration-ink"
      onClick={() =>
        select({ kind: names.measure(other) || !names.path(other) ? 'measure' : 'column', name: other })
      }
    >
      {other}
    </button>
  );
  return (
    <p className="mt-2 max-h-[72px] overflow-auto text-[12px]">
      {own.length > 0 && (
        <>
          <span className="text-soft">uses </span>
          {own.map(link)}
        </>
      )}
      {users.length > 0 && (
        <>
          <span className="text-soft">used by </span>
          {users.map(link)}
        </>
      )}
    </p>
  );
}
