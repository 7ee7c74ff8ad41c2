import type { Edit } from '@crease/core/edit';
import type { Measure, Model, ValueFormat } from '@crease/core/model';
import { familyMeasures, isShown, keepShown, sameName, splitPath } from '@crease/core/model';
import type { Entry, UsedBy } from './catalog.ts';

// What is done to many measures and derived columns at once.

/** What is said of all of them; a field that is left out stays, an empty text takes a field away. */
export interface BulkChange {
  readonly folder?: string;
  readonly table?: string;
  readonly description?: string;
  readonly hidden?: boolean;
  /** Parts that change; undefined takes a part away. */
  readonly format?: ValueFormat;
}

const without = (format: ValueFormat): ValueFormat | undefined => {
  const parts = Object.entries(format).filter(([, part]) => part !== undefined);
  return parts.length === 0 ? undefined : (Object.fromEntries(parts) as ValueFormat);
};

/** The edit that makes a change to all of some entries; what an entry cannot have is passed over. */
export function editOfMany(model: Model, entries: readonly Entry[], change: BulkChange): Edit {
  return entries.flatMap((entry): Edit => {
    const format = change.format && without({ ...entry.format, ...change.format });
    const texts = {
      ...(change.folder === undefined ? {} : { folder: change.folder || undefined }),
      ...(change.description === undefined ? {} : { description: change.description || undefined }),
      ...(change.hidden === undefined ? {} : { hidden: change.hidden || undefined }),
    };
    if (entry.kind === 'measure') {
      const own = (model.measures ?? []).find((m) => sameName(m.name, entry.name));
      if (!own) return [];
      const table = change.table === undefined ? {} : { table: change.table || undefined };
      const value = cleaned({ ...own, ...texts, ...table, ...(change.format ? { format } : {}) });
      return JSON.stringify(value) === JSON.stringify(own)
        ? []
        : [{ do: 'put-measures', name: own.name, value }];
    }
    if (entry.kind === 'column') {
      const [table, column] = splitPath(entry.name)!;
      const own = model.tables
        .find((t) => sameName(t.name, table))
        ?.columns.find((c) => sameName(c.name, column));
      if (!own) return [];
      const value = cleaned({ ...own, ...texts, ...(change.format ? { format } : {}) });
      return JSON.stringify(value) === JSON.stringify(own) ? [] : [{ do: 'put-column', table, value }];
    }
    return [];
  });
}

const cleaned = <T extends object>(value: T): T =>
  Object.fromEntries(Object.entries(value).filter(([, part]) => part !== undefined)) as T;

/** How names are made of the old ones. */
export interface NamePattern {
  readonly find: string;
  readonly replaceBy: string;
  readonly before: string;
  readonly after: string;
}

const nameBy = ({ find, replaceBy, before, after }: NamePattern, name: string): string =>
  `${before}${find === '' ? name : name.replaceAll(find, replaceBy)}${after}`.trim();

/** New names of measures, with what speaks against them. */
export function renamesOf(
  model: Model,
  names: readonly string[],
  pattern: NamePattern,
): { renames: readonly { from: string; to: string }[]; clashes: readonly string[] } {
  const renames = names
    .map((from) => ({ from, to: nameBy(pattern, from) }))
    .filter(({ from, to }) => from !== to);
  const moving = new Set(renames.map(({ from }) => from.toLowerCase()));
  const taken = new Set(
    [...(model.measures ?? []).map((m) => m.name), ...model.tables.map((t) => t.name)]
      .map((name) => name.toLowerCase())
      .filter((name) => !moving.has(name)),
  );
  const clashes = renames.flatMap(({ from, to }) => {
    const key = to.toLowerCase();
    if (to === '') return [`${from} would have no name`];
    if (taken.has(key)) return [`"${to}" is already used`];
    taken.add(key);
    return [];
  });
  return { renames, clashes };
}

/** Taking measures out of the model. */
export interface Removal {
  /** With the measures go their periods, and their places in perspectives. */
  readonly edit: Edit;
  /** What uses them and will be broken. */
  readonly breaks: readonly string[];
}

export function removalOf(model: Model, names: readonly string[], usedBy: UsedBy): Removal {
  const gone = new Set(names.map((name) => name.toLowerCase()));
  const isGone = (name: string) => gone.has(name.toLowerCase());
  const families = new Set(
    (model.periodFamilies ?? []).map((f) => f.measure).filter((measure) => isGone(measure)),
  );
  const perspectives = (model.perspectives ?? []).filter((p) =>
    names.some((name) => isShown(p, 'measures', name)),
  );
  const asks = (measures: readonly unknown[]) => measures.some((m) => typeof m === 'string' && isGone(m));
  const users = names.flatMap((name) => usedBy.get(name.toLowerCase()) ?? []);
  const gonePeriods = new Set(
    familyMeasures({
      ...model,
      periodFamilies: (model.periodFamilies ?? []).filter((f) => isGone(f.measure)),
    }).map((m) => m.name.toLowerCase()),
  );
  return {
    edit: [
      ...[...families].map((measure): Edit[number] => ({ do: 'set-period-families', measure, families: [] })),
      ...perspectives.map((p): Edit[number] => ({
        do: 'put-perspectives',
        name: p.name,
        value: keepShown(p, 'measures', (name) => !isGone(name)),
      })),
      ...names.map((name): Edit[number] => ({ do: 'remove-measures', name })),
    ],
    breaks: [
      ...new Set([
        ...users.filter((user) => !isGone(user) && !gonePeriods.has(user.toLowerCase())),
        ...(model.trials ?? []).filter((t) => asks(t.query.measures)).map((t) => `the trial ${t.name}`),
        ...(model.measures ?? [])
          .filter((m: Measure) => m.goal?.measure !== undefined && isGone(m.goal.measure) && !isGone(m.name))
          .map((m) => `the goal of ${m.name}`),
        ...(model.detailListings ?? [])
          .filter((d) => asks(d.measures ?? []))
          .map((d) => `the listing ${d.name}`),
      ]),
    ],
  };
}
