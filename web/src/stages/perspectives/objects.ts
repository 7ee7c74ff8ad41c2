import type { FormulaUses } from '@crease/contract';
import { columnPath } from '@crease/core/formula';
import type { Measure, Model, Perspective, PerspectivePart, Table } from '@crease/core/model';
import { isShown, keepShown, sameName, showMore, shownNames, splitPath } from '@crease/core/model';
import { grouped } from '../../parts/grouped.ts';

// What an audience can see, as lines of one grid, and what ticking a line does.

/** A line of the grid: a heading over objects of one kind, or an object. */
export interface ObjectLine {
  /** Unlike that of any other line. */
  readonly key: string;
  readonly part: PerspectivePart;
  /** As perspectives name it; of a heading, those of all its objects. */
  readonly names: readonly string[];
  readonly text: string;
  readonly kind: 'heading' | 'object' | 'column';
  readonly role?: Table['role'];
  readonly isHidden: boolean;
  /** Of a table with columns that can be unfolded, or a heading. */
  readonly folds: boolean;
}

interface Section {
  readonly key: string;
  readonly text: string;
  readonly part: PerspectivePart;
  readonly objects: readonly ObjectLine[];
}

const line = (part: PerspectivePart, name: string, isHidden = false): ObjectLine => ({
  key: `${part} ${name}`,
  part,
  names: [name],
  text: name,
  kind: 'object',
  isHidden,
  folds: false,
});

/** Objects of a model under their headings. */
function sectionsOf(model: Model, measures: readonly Measure[]): Section[] {
  const tables = (text: string, roles: readonly Table['role'][]): Section => ({
    key: text,
    text,
    part: 'tables',
    objects: model.tables
      .filter((t) => roles.includes(t.role))
      .map((t) => ({ ...line('tables', t.name, t.hidden), role: t.role, folds: t.columns.length > 0 })),
  });
  const folders = [...grouped(measures, (m) => m.folder ?? '')].map(([folder, list]): Section => ({
    key: `measures ${folder}`,
    text: folder === '' ? 'Measures' : `Measures: ${folder}`,
    part: 'measures',
    objects: list.map((m) => line('measures', m.name, m.hidden)),
  }));
  return [
    tables('Dimensions', ['dimension']),
    tables('Facts and bridges', ['fact', 'bridge']),
    {
      key: 'hierarchies',
      text: 'Hierarchies',
      part: 'hierarchies',
      objects: (model.hierarchies ?? []).map((h) => line('hierarchies', columnPath(h.table, h.name))),
    },
    ...folders,
    {
      key: 'listings',
      text: 'Listings',
      part: 'listings',
      objects: (model.detailListings ?? []).map((d) => line('listings', d.name)),
    },
    {
      key: 'trials',
      text: 'Kept trials',
      part: 'trials',
      objects: (model.trials ?? []).map((t) => line('trials', t.name)),
    },
  ];
}

export interface Listed {
  readonly search: string;
  /** Only what audiences see differently. */
  readonly onlyDifferent: boolean;
  /** Keys of tables that are unfolded, and of headings that are folded. */
  readonly turned: ReadonlySet<string>;
}

/** The lines that are listed. A search finds objects and columns, and unfolds nothing else. */
export function linesOfGrid(
  model: Model,
  measures: readonly Measure[],
  { search, onlyDifferent, turned }: Listed,
): ObjectLine[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const isFound = (text: string) => words.every((word) => text.toLowerCase().includes(word));
  const perspectives = model.perspectives ?? [];
  const differs = (object: ObjectLine) => {
    const states = perspectives.map((p) => stateOf(p, object));
    return states.some((state) => state !== states[0]);
  };
  const isListed = (object: ObjectLine) => isFound(object.text) && (!onlyDifferent || differs(object));
  return sectionsOf(model, measures).flatMap((section): ObjectLine[] => {
    const objects = section.objects.flatMap((object): ObjectLine[] => {
      const columns =
        object.folds && (turned.has(object.key) || words.length > 0 || onlyDifferent)
          ? columnsOf(model, object).filter((column) =>
              turned.has(object.key) && !onlyDifferent ? isFound(column.text) : isListed(column),
            )
          : [];
      const isWanted = isListed(object) || columns.length > 0;
      return isWanted ? [object, ...columns] : [];
    });
    if (objects.length === 0) return [];
    const heading: ObjectLine = {
      key: section.key,
      part: section.part,
      names: objects.filter((o) => o.kind === 'object').flatMap((o) => o.names),
      text: section.text,
      kind: 'heading',
      isHidden: false,
      folds: true,
    };
    return turned.has(section.key) ? [heading] : [heading, ...objects];
  });
}

function columnsOf(model: Model, { names }: ObjectLine): ObjectLine[] {
  const table = model.tables.find((t) => sameName(t.name, names[0]!));
  return (table?.columns ?? []).map((c) => ({
    ...line('columns', columnPath(table!.name, c.name), c.hidden),
    kind: 'column',
  }));
}

/** Whether an audience sees an object, all or some of a heading's objects, or a column by its whole table. */
export type ShownState = 'shown' | 'some' | 'by table' | 'none';

export function stateOf(p: Perspective, { part, names, kind }: ObjectLine): ShownState {
  if (kind === 'heading') {
    const shown = names.filter((name) => isShown(p, part, name)).length;
    return shown === 0 ? 'none' : shown === names.length ? 'shown' : 'some';
  }
  const [name] = names as [string];
  if (part === 'columns' && isShown(p, 'tables', splitPath(name)![0])) return 'by table';
  if (isShown(p, part, name)) return 'shown';
  const isPartOf = (path: string) => sameName(splitPath(path)?.[0] ?? '', name);
  return part === 'tables' && shownNames(p, 'columns').some(isPartOf) ? 'some' : 'none';
}

/**
 * The perspective after a line is ticked or not. A table that is ticked takes the place of its single
 * columns; a column that is taken out of a whole table leaves the table's other columns, hidden ones aside.
 */
export function ticked(p: Perspective, object: ObjectLine, on: boolean, model: Model): Perspective {
  const { part, names } = object;
  const isOf = (table: string) => (path: string) => sameName(splitPath(path)?.[0] ?? '', table);
  if (part === 'tables') {
    const apart = names.reduce((at, table) => keepShown(at, 'columns', (path) => !isOf(table)(path)), p);
    return on ? showMore(apart, 'tables', names) : without(apart, 'tables', names);
  }
  if (part !== 'columns') return on ? showMore(p, part, names) : without(p, part, names);
  const [path] = names as [string];
  const [tableName] = splitPath(path)!;
  if (on) return showMore(p, 'columns', [path]);
  if (!isShown(p, 'tables', tableName)) return without(p, 'columns', [path]);
  const table = model.tables.find((t) => sameName(t.name, tableName));
  const others = (table?.columns ?? [])
    .filter((c) => !c.hidden)
    .map((c) => columnPath(tableName, c.name))
    .filter((other) => !sameName(other, path));
  return showMore(without(p, 'tables', [tableName]), 'columns', others);
}

const without = (p: Perspective, part: PerspectivePart, names: readonly string[]): Perspective =>
  keepShown(p, part, (shown) => !names.some((name) => sameName(name, shown)));

/** Columns that shown measures use and the audience does not see, with the measures that use each. */
export function usedUnseen(
  p: Perspective,
  uses: readonly FormulaUses[],
): { column: string; measures: string[] }[] {
  const byName = new Map(uses.map((u) => [u.name.toLowerCase(), u]));
  const found = new Map<string, Set<string>>();
  for (const shown of shownNames(p, 'measures')) {
    const met = new Set<string>();
    const walk = (name: string) => {
      const key = name.toLowerCase();
      if (met.has(key)) return;
      met.add(key);
      const used = byName.get(key);
      for (const column of used?.columns ?? []) {
        const isSeen = isShown(p, 'tables', splitPath(column)?.[0] ?? '') || isShown(p, 'columns', column);
        if (isSeen) continue;
        if (!found.has(column)) found.set(column, new Set());
        found.get(column)!.add(shown);
      }
      used?.measures.forEach(walk);
    };
    walk(shown);
  }
  return [...found].map(([column, measures]) => ({ column, measures: [...measures] }));
}
