import type { FormulaChecker } from '../../formula/index.ts';
import { columnPath } from '../../formula/index.ts';
import type { DetailListing, Hierarchy, Perspective, Query } from '../../model/index.ts';
import { isShown, sameName, shownNames, splitPath } from '../../model/index.ts';

// What perspectives show, and what of the model that needs.

/** Tables of which a perspective shows something: whole, or by single columns. Missing ones are left out. */
export function shownTables(checker: FormulaChecker, p: Perspective): string[] {
  const { names } = checker;
  const columns = shownNames(p, 'columns').flatMap((path) => names.path(path)?.table.name ?? []);
  const tables = shownNames(p, 'tables').flatMap((name) => names.table(name)?.name ?? []);
  return [...new Set([...tables, ...columns])];
}

export const measureBases = (checker: FormulaChecker, name: string): string[] => {
  const typed = checker.measure(name)?.typed;
  return typed ? [...checker.basesOf(typed)] : [];
};

/** Whether conditions on a table reach all rows that a measure is made of, by the way that it goes by. */
export const reaches = (checker: FormulaChecker, measure: string, table: string): boolean => {
  const bases = measureBases(checker, measure);
  const via = checker.names.measure(measure)?.via;
  return (
    bases.length > 0 &&
    bases.every((base) => {
      const route = checker.reach.route(base, table, via === undefined ? [] : [via.toLowerCase()]);
      return route !== undefined && route.kind !== 'ambiguous';
    })
  );
};

export const isDimension = (checker: FormulaChecker, table: string): boolean =>
  checker.names.table(table)?.role === 'dimension';

interface TableColumn {
  readonly table: string;
  readonly column: string;
}

/** The columns that the levels of a hierarchy show. */
export function hierarchyColumns(checker: FormulaChecker, h: Hierarchy): TableColumn[] {
  if (h.parent !== undefined) return [{ table: h.table, column: h.label ?? h.parent }];
  return (h.levels ?? []).flatMap((level) => {
    const own = checker.names.column(h.table, level.column);
    const found = own ? { table: h.table, column: own.name } : undefined;
    if (found) return [found];
    const path = checker.names.path(level.column);
    return path ? [{ table: path.table.name, column: path.column.name }] : [];
  });
}

export function showsColumn(
  checker: FormulaChecker,
  p: Perspective,
  { table, column }: TableColumn,
): boolean {
  return (
    isShown(p, 'tables', table) ||
    shownNames(p, 'columns').some((path) => {
      const found = checker.names.path(path);
      return found !== undefined && sameName(found.table.name, table) && sameName(found.column.name, column);
    })
  );
}

/** What a listing or a trial cannot do without, by name. */
export interface Needs {
  readonly columns: readonly TableColumn[];
  readonly hierarchies: readonly string[];
  readonly measures: readonly string[];
}

/** The columns of a listing; names that the model does not have are left out. */
export function listingNeeds(checker: FormulaChecker, listing: DetailListing): Needs {
  const paths = listing.columns.map((c) => (typeof c === 'string' ? c : c.column));
  const columns = paths.flatMap((path) => {
    const found = checker.names.path(splitPath(path) ? path : columnPath(listing.table, path));
    return found ? [{ table: found.table.name, column: found.column.name }] : [];
  });
  return { columns, hierarchies: [], measures: [] };
}

/** What a question shows; its conditions may speak of what the audience does not see. */
export function questionNeeds(checker: FormulaChecker, { by = [], across = [], measures }: Query): Needs {
  const columns: TableColumn[] = [];
  const hierarchies: string[] = [];
  const note = (path: string) => {
    const found = checker.names.path(path);
    if (found) columns.push({ table: found.table.name, column: found.column.name });
  };
  for (const item of [...by, ...across]) {
    if (typeof item === 'string') note(item);
    else if ('hierarchy' in item) hierarchies.push(item.hierarchy);
  }
  const named = measures.flatMap((m) => {
    if (typeof m === 'object' && 'column' in m) note(m.column);
    return typeof m === 'string' ? [m] : [];
  });
  return { columns, hierarchies, measures: named };
}

/** What of the needs a perspective does not show, in words. */
export function notShown(checker: FormulaChecker, p: Perspective, needs: Needs): string[] {
  const all = [
    ...needs.columns.filter((c) => !showsColumn(checker, p, c)).map((c) => columnPath(c.table, c.column)),
    ...needs.hierarchies.filter((h) => checker.names.hierarchy(h) && !isShown(p, 'hierarchies', h)),
    ...needs.measures.filter((m) => checker.names.measure(m) && !isShown(p, 'measures', m)),
  ];
  return [...new Set(all)];
}
