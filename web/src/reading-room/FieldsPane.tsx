import { useMemo, useState } from 'react';
import type { Query } from '@crease/core/model';
import { count } from '../parts/text.ts';
import { useModel } from '../state/model.tsx';
import { fieldsOf, foundFields, isAsked, withField } from './fields.ts';

/** So many fields are listed at first, and with each press for more. */
const LISTED = 300;

/** What may be asked for, with titles and descriptions; a press adds it to the question or takes it out. */
export function FieldsPane({ query, onAsk }: { query: Query; onAsk: (query: Query) => void }) {
  const { model } = useModel();
  const [search, setSearch] = useState('');
  const [listed, setListed] = useState(LISTED);
  const all = useMemo(() => fieldsOf(model), [model]);
  const found = foundFields(all, search);
  const groups = Map.groupBy(found.slice(0, listed), (field) => field.group);
  return (
    <nav
      aria-label="Fields"
      className="flex w-[250px] shrink-0 flex-col border-r border-rule-strong bg-paper"
    >
      <input
        className="field m-3 mb-1"
        type="search"
        placeholder="search fields"
        aria-label="Search fields"
        value={search}
        onChange={(e) => {
          setSearch(e.target.value);
          setListed(LISTED);
        }}
      />
      <div className="min-h-0 flex-1 overflow-auto px-3 pb-4">
        {[...groups].map(([group, fields]) => (
          <section key={group} aria-label={group}>
            <h2 className="eyebrow mt-3 mb-1">{group}</h2>
            {fields.map((field) => {
              const isIn = isAsked(query, field);
              return (
                <button
                  key={field.key}
                  aria-pressed={isIn}
                  className={`block w-full truncate px-2 py-[3px] text-left ${isIn ? 'bg-ink text-leaf' : 'hover:bg-rule'}`}
                  title={field.description ?? field.title}
                  onClick={() => onAsk(withField(query, field))}
                >
                  {field.title}
                  {field.description !== undefined && (
                    <span className={`block truncate text-[11px] ${isIn ? '' : 'text-soft'}`}>
                      {field.description}
                    </span>
                  )}
                </button>
              );
            })}
          </section>
        ))}
        {found.length === 0 && <p className="p-2 text-soft">No field matches</p>}
        {found.length > listed && (
          <button className="btn m-2" onClick={() => setListed(listed + LISTED)}>
            Show more of {count(found.length - listed)}
          </button>
        )}
      </div>
    </nav>
  );
}
