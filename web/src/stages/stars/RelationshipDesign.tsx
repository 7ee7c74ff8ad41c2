import type { Cardinality, Relationship } from '@crease/core/model';
import { cardinalityOf, endText, isDefault } from '@crease/core/model';
import { RemoveButton } from '../../parts/RemoveButton.tsx';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';

/** What a relationship declares, to be corrected. */
export function RelationshipDesign({ relationship: r }: { relationship: Relationship }) {
  const { edit } = useModel();
  const [, select] = useSelection();
  const set = (
    change: {
      cardinality?: Cardinality;
      default?: boolean;
      role?: string;
      from?: Relationship['from'];
      to?: Relationship['to'];
    },
    says: string,
  ) => void edit([{ do: 'set-relationship', name: r.name, change }], says);
  return (
    <section
      aria-label="Relationship"
      className="flex flex-wrap items-center gap-3 border-b border-rule px-4 py-2"
    >
      <span>
        {endText(r.from)} → {endText(r.to)}
      </span>
      <select
        className="field"
        aria-label="Cardinality"
        value={cardinalityOf(r)}
        onChange={(e) =>
          set(
            { cardinality: e.target.value as Cardinality },
            `set the cardinality of ${r.name} to ${e.target.value}`,
          )
        }
      >
        {(['many-to-one', 'one-to-one', 'many-to-level', 'many-to-many'] as const).map((c) => (
          <option key={c}>{c}</option>
        ))}
      </select>
      <label className="flex items-center gap-1">
        <input
          type="checkbox"
          checked={isDefault(r)}
          onChange={(e) =>
            set(
              { default: e.target.checked },
              `${e.target.checked ? 'use' : 'do not use'} ${r.name} by default`,
            )
          }
        />{' '}
        by default
      </label>
      <label className="flex items-center gap-1 text-soft">
        in the role of
        <input
          key={r.role ?? ''}
          className="field w-[110px]"
          aria-label="Role"
          placeholder={r.to.table}
          defaultValue={r.role ?? ''}
          onBlur={(e) => {
            const role = e.target.value.trim();
            if (role !== (r.role ?? ''))
              set(
                { role },
                role
                  ? `set the role of ${r.to.table} by ${r.name} to ${role}`
                  : `clear the role of ${r.to.table} by ${r.name}`,
              );
          }}
          onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
        />
      </label>
      <button className="btn" onClick={() => set({ from: r.to, to: r.from }, `swap the ends of ${r.name}`)}>
        Swap ends
      </button>
      <RemoveButton
        edit={[{ do: 'remove-relationships', name: r.name }]}
        says={`remove the relationship ${r.name}`}
        onDone={() => select(undefined)}
      >
        Remove
      </RemoveButton>
    </section>
  );
}
