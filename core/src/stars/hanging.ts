import type { FormulaChecker, Typed } from '../formula/index.ts';
import { columnsOf, namesIn, walkTyped } from '../formula/index.ts';
import { sameName, splitPath } from '../model/index.ts';
import { tablesRead } from '../shape/index.ts';

/** A part of the model that would lose its ground without a table. */
export interface Hanging {
  readonly kind: 'relationship' | 'hierarchy' | 'measure' | 'perspective' | 'derived table';
  readonly name: string;
}

/** What rests on a table, so that nobody takes it away without knowing: relationships from and to it first. */
export function hangingOn(checker: FormulaChecker, table: string): Hanging[] {
  const { model } = checker;
  const isIt = (name: string | undefined): boolean => name !== undefined && sameName(name, table);
  const isCalendar = (model.calendars ?? []).some((c) => isIt(c.table));
  const hanging = (kind: Hanging['kind'], names: readonly string[]): Hanging[] => names.map((name) => ({ kind, name }));
  return [
    ...hanging(
      'relationship',
      (model.relationships ?? []).filter((r) => isIt(r.from.table) || isIt(r.to.table)).map((r) => r.name),
    ),
    ...hanging(
      'derived table',
      model.tables.filter((t) => t.source && 'steps' in t.source && tablesRead(t.source.steps).some(isIt)).map((t) => t.name),
    ),
    ...hanging(
      'hierarchy',
      (model.hierarchies ?? [])
        .filter((h) => isIt(h.table) || (h.levels ?? []).some((l) => isIt(splitPath(l.column)?.[0])))
        .map((h) => `${h.table}.${h.name}`),
    ),
    ...hanging(
      'measure',
      (model.measures ?? [])
        .filter((m) => {
          const { typed } = checker.measure(m.name)!;
          // Of a formula in error the names that stand in it are all there is.
          return typed ? restsOn(typed, isIt) : namesIn(m.formula).some((name) => isIt(name.split('.')[0]));
        })
        .map((m) => m.name),
    ),
    ...hanging('measure', isCalendar ? (model.periodFamilies ?? []).map((f) => `${f.measure}, by periods`) : []),
    ...hanging(
      'perspective',
      (model.perspectives ?? [])
        .filter((p) => p.tables.some(isIt) || (p.columns ?? []).some((c) => isIt(splitPath(c)?.[0])))
        .map((p) => p.name),
    ),
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
