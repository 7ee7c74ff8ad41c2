import type { Edit } from '../edit/index.ts';
import type { FormulaChecker, Typed } from '../formula/index.ts';
import { columnPath, columnsOf, namesIn, walkTyped } from '../formula/index.ts';
import type { Hierarchy, Model, Perspective } from '../model/index.ts';
import { keepShown, sameName, shownNames, splitPath, stepsOf } from '../model/index.ts';
import { tablesRead } from '../shape/index.ts';

/** A part of the model that would lose its ground without a table. */
export interface Dependent {
  readonly kind: 'relationship' | 'hierarchy' | 'measure' | 'perspective' | 'derived table';
  readonly name: string;
}

/**
 * What rests on a table, so that nobody takes it away without knowing: relationships from and to it first.
 */
export function dependentsOf(checker: FormulaChecker, table: string): Dependent[] {
  const { model } = checker;
  const isIt = (name: string | undefined): boolean => name !== undefined && sameName(name, table);
  const isCalendar = (model.calendars ?? []).some((c) => isIt(c.table));
  const dependents = (kind: Dependent['kind'], names: readonly string[]): Dependent[] =>
    names.map((name) => ({ kind, name }));
  return [
    ...dependents(
      'relationship',
      (model.relationships ?? []).filter((r) => isIt(r.from.table) || isIt(r.to.table)).map((r) => r.name),
    ),
    ...dependents(
      'derived table',
      model.tables.filter((t) => tablesRead(stepsOf(t)).some(isIt)).map((t) => t.name),
    ),
    ...dependents(
      'hierarchy',
      (model.hierarchies ?? [])
        .filter((h) => isIt(h.table) || (h.levels ?? []).some((l) => isIt(splitPath(l.column)?.[0])))
        .map((h) => `${h.table}.${h.name}`),
    ),
    ...dependents(
      'measure',
      (model.measures ?? [])
        .filter((m) => {
          const { typed } = checker.measure(m.name)!;
          // Of a formula in error the names that stand in it are all there is.
          return typed ? restsOn(typed, isIt) : namesIn(m.formula).some((name) => isIt(name.split('.')[0]));
        })
        .map((m) => m.name),
    ),
    ...dependents(
      'measure',
      isCalendar ? (model.periodFamilies ?? []).map((f) => `${f.measure}, by periods`) : [],
    ),
    ...dependents(
      'perspective',
      (model.perspectives ?? [])
        .filter(
          (p) =>
            shownNames(p, 'tables').some(isIt) ||
            shownNames(p, 'columns').some((c) => isIt(splitPath(c)?.[0])),
        )
        .map((p) => p.name),
    ),
  ];
}

/**
 * Takes a table out of a model with what is nothing without it: its relationships, its hierarchies and levels
 * of it elsewhere, its calendar, its places in perspectives and diagrams. Measures and derived tables that
 * rest on it stay, and say that it is missing.
 */
export function withoutTable(model: Model, table: string): Edit {
  const isIt = (name: string | undefined): boolean => name !== undefined && sameName(name, table);
  const isOfIt = (path: string): boolean => isIt(splitPath(path)?.[0]);
  const hangs = (h: Hierarchy): boolean => isIt(h.table) || (h.levels ?? []).some((l) => isOfIt(l.column));
  const gone = new Set(
    (model.hierarchies ?? []).filter(hangs).map((h) => columnPath(h.table, h.name).toLowerCase()),
  );
  const shows = (p: Perspective): boolean =>
    shownNames(p, 'tables').some(isIt) ||
    shownNames(p, 'columns').some(isOfIt) ||
    shownNames(p, 'hierarchies').some((path) => gone.has(path.toLowerCase()));
  const without = (p: Perspective): Perspective => {
    const tables = keepShown(p, 'tables', (name) => !isIt(name));
    const columns = keepShown(tables, 'columns', (path) => !isOfIt(path));
    return keepShown(columns, 'hierarchies', (path) => !gone.has(path.toLowerCase()));
  };
  return [
    ...(model.relationships ?? [])
      .filter((r) => isIt(r.from.table) || isIt(r.to.table))
      .map((r): Edit[number] => ({ do: 'remove-relationships', name: r.name })),
    ...(model.hierarchies ?? [])
      .filter(hangs)
      .map((h): Edit[number] => ({ do: 'remove-hierarchies', name: `${h.table}.${h.name}` })),
    ...((model.calendars ?? []).some((c) => isIt(c.table))
      ? [{ do: 'remove-calendar' as const, table }]
      : []),
    ...(model.perspectives ?? []).filter(shows).map((p): Edit[number] => ({
      do: 'put-perspectives',
      name: p.name,
      value: without(p),
    })),
    ...(model.diagrams ?? [])
      .filter((d) => d.tables.some((t) => isIt(t.table)))
      .map((d): Edit[number] => ({
        do: 'put-diagrams',
        name: d.name,
        value: { ...d, tables: d.tables.filter((t) => !isIt(t.table)) },
      })),
    { do: 'remove-tables', name: table },
  ];
}

/** Whether a measure's own formula reads a table, or works with periods of it. */
function restsOn(typed: Typed, isIt: (name: string | undefined) => boolean): boolean {
  let found = columnsOf(typed).some((c) => isIt(c.table));
  walkTyped(typed, (node) => {
    if (node.kind === 'aggregate') found ||= isIt(node.base);
    if (node.kind !== 'context') return;
    const { over, at, ignoring, given } = node.words;
    const targets = [...(ignoring?.targets ?? []), ...(given ?? [])];
    found ||= isIt(over?.calendar) || isIt(at?.column.table) || targets.some((t) => isIt(t.table));
  });
  return found;
}
