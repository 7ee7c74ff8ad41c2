import type { FormulaUses } from '@crease/contract';
import { columnPath } from '@crease/core/formula';
import { grouped } from '../../parts/grouped.ts';
import type { Measure, Model, ValueFormat } from '@crease/core/model';
import { familyMeasures, isDerived } from '@crease/core/model';

// Everything of a model that is worked out: measures, their periods, derived columns and derived tables.

export type EntryKind = 'measure' | 'period' | 'column' | 'table';
export const ENTRY_KINDS: Readonly<Record<EntryKind, string>> = {
  measure: 'measures',
  period: 'measures over periods',
  column: 'derived columns',
  table: 'derived tables',
};

/** One line of the catalog. */
export interface Entry {
  readonly kind: EntryKind;
  /** As selections name it; `table.column` of a column. */
  readonly name: string;
  readonly title: string;
  readonly description: string;
  readonly table: string;
  /** In its canonical layout; of a table how many steps it is derived by. */
  readonly formula: string;
  readonly folder: string;
  readonly hidden: boolean;
  readonly format: ValueFormat | undefined;
  /** Of a measure, or of the base of one over a period. */
  readonly measure?: Measure;
  /** Of a measure over a period, the measure that it is one of. */
  readonly base?: string;
}

/** The lines of a model's catalog: measures in their order, each with its periods behind it. */
export function catalogOf(model: Model): Entry[] {
  const periods = grouped(familyEntries(model), (entry) => entry.base!.toLowerCase());
  return [
    ...(model.measures ?? []).flatMap((m) => [
      measureEntry(m, 'measure'),
      ...(periods.get(m.name.toLowerCase()) ?? []),
    ]),
    ...model.tables.flatMap((t) =>
      t.columns.flatMap((c): Entry[] =>
        c.formula === undefined
          ? []
          : [
              {
                kind: 'column',
                name: columnPath(t.name, c.name),
                title: c.title ?? '',
                description: c.description ?? '',
                table: t.name,
                formula: c.formula,
                folder: c.folder ?? '',
                hidden: c.hidden ?? false,
                format: c.format,
              },
            ],
      ),
    ),
    ...model.tables.filter(isDerived).map((t): Entry => ({
      kind: 'table',
      name: t.name,
      title: t.title ?? '',
      description: t.description ?? '',
      table: t.name,
      formula: stepsText(t),
      folder: '',
      hidden: t.hidden ?? false,
      format: undefined,
    })),
  ];
}

function measureEntry(m: Measure, kind: 'measure' | 'period'): Entry {
  return {
    kind,
    name: m.name,
    title: m.title ?? '',
    description: m.description ?? '',
    table: m.table ?? '',
    formula: m.formula,
    folder: m.folder ?? '',
    hidden: m.hidden ?? false,
    format: m.format,
    measure: m,
  };
}

function familyEntries(model: Model): Entry[] {
  return (model.periodFamilies ?? []).flatMap((family) =>
    familyMeasures({ ...model, periodFamilies: [family] }).map((m) => ({
      ...measureEntry(m, 'period'),
      base: family.measure,
    })),
  );
}

function stepsText({ source }: Model['tables'][number]): string {
  const count = source && 'steps' in source ? source.steps.length : 0;
  return count === 1 ? '1 step' : `${count} steps`;
}

/** The lines that a search finds in any of their texts, of the kinds that are asked for. */
export function matchingEntries(
  entries: readonly Entry[],
  search: string,
  kind: EntryKind | 'all',
): readonly Entry[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  return entries.filter((entry) => {
    if (kind !== 'all' && entry.kind !== kind) return false;
    if (words.length === 0) return true;
    const text = [entry.name, entry.title, entry.description, entry.formula, entry.folder, entry.table]
      .join(' ')
      .toLowerCase();
    return words.every((word) => text.includes(word));
  });
}

export type SortBy = 'model' | 'name' | 'table' | 'folder' | 'used by';

/** What uses each measure and column, by lower-case name. */
export type UsedBy = ReadonlyMap<string, readonly string[]>;

/** The other way round than what formulas use. */
export function usedByOf(uses: readonly FormulaUses[]): UsedBy {
  const found = new Map<string, string[]>();
  for (const { name, measures, columns } of uses)
    for (const used of [...measures, ...columns]) {
      const key = used.toLowerCase();
      if (!found.has(key)) found.set(key, []);
      found.get(key)!.push(name);
    }
  return found;
}

export function sortedEntries(entries: readonly Entry[], by: SortBy, usedBy: UsedBy): readonly Entry[] {
  if (by === 'model') return entries;
  const compare = new Intl.Collator(undefined, { numeric: true }).compare;
  const count = (entry: Entry) => usedBy.get(entry.name.toLowerCase())?.length ?? 0;
  if (by === 'used by') return [...entries].sort((a, b) => count(b) - count(a) || compare(a.name, b.name));
  return [...entries].sort((a, b) => compare(a[by], b[by]) || compare(a.name, b.name));
}

/** A line of the list as it is shown: a folder's heading or an entry. */
export type Line =
  | { readonly kind: 'heading'; readonly text: string; readonly count: number }
  | { readonly kind: 'entry'; readonly entry: Entry };

/** Entries under the headings of their folders and kinds, where they stand in the order of the model. */
export function linesOf(entries: readonly Entry[], by: SortBy): Line[] {
  if (by !== 'model') return entries.map((entry) => ({ kind: 'entry', entry }));
  const groups = grouped(entries, headingOf);
  return [...groups].flatMap(([text, list]): Line[] => [
    { kind: 'heading', text, count: list.length },
    ...list.map((entry): Line => ({ kind: 'entry', entry })),
  ]);
}

function headingOf({ kind, folder }: Entry): string {
  if (kind === 'column' || kind === 'table') return ENTRY_KINDS[kind];
  return folder === '' ? 'no folder' : folder;
}
