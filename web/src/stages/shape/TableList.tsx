import { useMemo, useState } from 'react';
import type { Table } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { drawnAtOnce, InChunks } from '../../parts/InChunks.tsx';
import { RoleMark, VerdictMark } from '../../parts/Marks.tsx';
import { DeriveTable } from './DeriveTable.tsx';
import { isDerived } from '@crease/core/model';

const GROUPS: readonly { readonly role: Table['role']; readonly title: string }[] = [
  { role: 'fact', title: 'Facts' },
  { role: 'dimension', title: 'Dimensions' },
  { role: 'bridge', title: 'Bridges' },
  { role: 'staging', title: 'Staging' },
];

/** Claims that Shape is the place to mend. */
const KINDS = [
  'key-unique',
  'key-filled',
  'not-a-quantity',
  'type-holds',
  'label-unique',
  'validity-disjoint',
  'partition-covers',
];
const SEARCHED_FROM = 30;
/** How high a table is in the list, in pixels. */
const ROW_HEIGHT = 26;

/** All tables in groups, staging apart. */
export function TableList({ current, onDesign }: { current: string | undefined; onDesign: () => void }) {
  const { model, claims } = useModel();
  const [, select] = useSelection();
  const [search, setSearch] = useState('');
  const broken = useMemo(
    () =>
      new Set(
        (claims?.claims ?? [])
          .filter((c) => c.verdict === 'broken' && KINDS.includes(c.kind))
          .flatMap((c) => c.about.map((a) => a.table)),
      ),
    [claims],
  );
  const found = model.tables.filter((t) => t.name.toLowerCase().includes(search.trim().toLowerCase()));
  const groups = GROUPS.map((group) => ({ ...group, tables: found.filter((t) => t.role === group.role) }));
  const at = groups.map(({ tables }) => tables.findIndex((t) => t.name === current) + 1);
  const drawn = drawnAtOnce(groups.map(({ tables }) => tables.length));
  return (
    <nav className="flex w-[146px] shrink-0 flex-col border-r border-rule" aria-label="Tables">
      {model.tables.length >= SEARCHED_FROM && (
        <input
          className="field m-2"
          placeholder="find a table"
          aria-label="Find a table"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
      )}
      <div className="min-h-0 flex-1 overflow-auto">
        {groups.map(({ role, title, tables }, i) =>
          tables.length === 0 ? null : (
            <section key={role} aria-label={title}>
              <h2 className="eyebrow px-3 pt-2 pb-[2px]">{title}</h2>
              <ul>
                <InChunks list={tables} rowHeight={ROW_HEIGHT} drawn={Math.max(drawn[i]!, at[i]!)} as="li">
                  {(t) => (
                    <li key={t.name}>
                      <button
                        className="rowlink flex items-center gap-2 px-3 py-[3px]"
                        aria-current={t.name === current}
                        title={isDerived(t) ? `${t.name}: derived by steps` : t.name}
                        onClick={() => select({ kind: 'table', name: t.name })}
                      >
                        <RoleMark role={t.role} /> <span className="min-w-0 flex-1 truncate">{t.name}</span>
                        {isDerived(t) && (
                          <span className="text-[11px] text-soft" aria-label="derived">
                            ƒ
                          </span>
                        )}
                        {broken.has(t.name) && <VerdictMark verdict="broken" size={10} />}
                      </button>
                    </li>
                  )}
                </InChunks>
              </ul>
            </section>
          ),
        )}
        {found.length === 0 && model.tables.length > 0 && <p className="p-3 text-soft">No matches</p>}
      </div>
      {model.tables.length > 0 && (
        <>
          <div className="border-t border-rule px-2 pt-2">
            <button className="btn w-full justify-center" onClick={onDesign}>
              Design a table
            </button>
          </div>
          <DeriveTable />
        </>
      )}
    </nav>
  );
}
