import { columnPath, namesIn } from '../formula/index.ts';
import { shownNames } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { TIMESTAMP } from '../values/index.ts';

/** What uses a column, in words: `key`, `relationship loan_branch`, `measure Loans`. */
export type Uses = ReadonlyMap<string, readonly string[]>;

/** What in the model uses each column, by `table.column` in lower case; read from checked formulas. */
export function usesOfColumns(data: ModelData): Uses {
  const { model, checker } = data;
  const uses = new Map<string, string[]>();
  const note = (path: string, what: string) => {
    const known = uses.get(path.toLowerCase());
    if (!known) uses.set(path.toLowerCase(), [what]);
    else if (!known.includes(what)) known.push(what);
  };
  for (const t of model.tables) {
    const own = (names: readonly (string | null | undefined)[], what: string) => {
      for (const name of names) if (name) note(columnPath(t.name, name), what);
    };
    own(t.key ?? [], 'key');
    own([t.label], 'label');
    own([t.snapshot], 'snapshot');
    own([t.partition?.by], 'partition');
    own([...(t.validity?.of ?? []), t.validity?.from, t.validity?.to], 'validity');
    own([t.weight?.column, ...(t.weight?.per ?? [])], 'shares');
    for (const c of t.columns)
      if (c.formula !== undefined)
        for (const n of checker.column(t, c.name, c.formula, TIMESTAMP).columns)
          note(columnPath(n.table, n.column), `column ${columnPath(t.name, c.name)}`);
  }
  for (const r of model.relationships ?? [])
    for (const end of [r.from, r.to])
      for (const name of end.columns) note(columnPath(end.table, name), `relationship ${r.name}`);
  for (const h of model.hierarchies ?? []) {
    const what = `hierarchy ${h.table}.${h.name}`;
    for (const name of [h.key, h.parent, h.label]) if (name) note(columnPath(h.table, name), what);
    for (const level of h.levels ?? [])
      for (const path of [level.column, level.key, level.orderBy].flat())
        if (path !== undefined)
          note(checker.names.column(h.table, path) ? columnPath(h.table, path) : path, what);
  }
  for (const m of model.measures ?? [])
    for (const n of checker.measure(m.name)?.columns ?? [])
      note(columnPath(n.table, n.column), `measure ${m.name}`);
  for (const p of model.perspectives ?? [])
    for (const path of shownNames(p, 'columns')) note(path, `perspective ${p.name}`);
  for (const t of model.trials ?? []) for (const path of pathsIn(t.query)) note(path, `trial ${t.name}`);
  for (const l of model.detailListings ?? [])
    for (const path of pathsIn([l.columns, l.sort, l.where])) note(path, `listing ${l.name}`);
  return uses;
}

/** Names in any text of a question or listing: those that are no columns are nobody's. */
const pathsIn = (part: unknown): string[] => {
  if (typeof part === 'string') return namesIn(part);
  return part !== null && typeof part === 'object' ? Object.values(part).flatMap(pathsIn) : [];
};
