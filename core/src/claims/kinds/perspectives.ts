import { sameName } from '../../model/index.ts';
import type { Hierarchy, Perspective } from '../../model/index.ts';
import type { FormulaChecker } from '../../formula/index.ts';
import { columnPath } from '../../formula/index.ts';
import { counted } from './words.ts';
import type { ClaimKind, Remedy } from '../claim.ts';
import { claimOf, restsOn } from '../claim.ts';

/** Tables of which a perspective shows something: whole, or by single columns. Missing ones are left out. */
function shownTables(checker: FormulaChecker, p: Perspective): string[] {
  const columns = (p.columns ?? []).flatMap((path) => checker.names.path(path)?.table.name ?? []);
  return [...new Set([...p.tables.flatMap((name) => checker.names.table(name)?.name ?? []), ...columns])];
}

const measureBases = (checker: FormulaChecker, name: string): string[] => {
  const typed = checker.measure(name)?.typed;
  return typed ? [...checker.basesOf(typed)] : [];
};

const reaches = (checker: FormulaChecker, measure: string, table: string): boolean => {
  const bases = measureBases(checker, measure);
  return (
    bases.length > 0 &&
    bases.every((base) => {
      const route = checker.reach.route(base, table);
      return route !== undefined && route.kind !== 'ambiguous';
    })
  );
};

const isDimension = (checker: FormulaChecker, table: string): boolean =>
  checker.names.table(table)?.role === 'dimension';

export const measureReach: ClaimKind = {
  kind: 'measure-reach',
  weight: 'warns',
  subject: 'measure<-dimension',
  example:
    '`measure-reach:Visitors<-title`: a perspective that shows “Visitors” beside `title`, which does not reach visits, breaks it.',
  documentation: 'A perspective shows a measure beside a dimension that does not reach it.',
  list: ({ model, checker }) => {
    const pairs = new Map<string, { measure: string; table: string; perspectives: string[] }>();
    for (const p of model.perspectives ?? []) {
      for (const name of p.measures ?? []) {
        const measure = checker.names.measure(name)?.name;
        if (measure === undefined) continue;
        for (const table of shownTables(checker, p).filter((t) => isDimension(checker, t))) {
          const key = `${measure}<-${table}`;
          if (!pairs.has(key)) pairs.set(key, { measure, table, perspectives: [] });
          pairs.get(key)!.perspectives.push(p.name);
        }
      }
    }
    return [...pairs].map(([subject, { measure, table, perspectives }]) =>
      claimOf(
        measureReach,
        subject,
        `${table} reaches ${measure}, which ${perspectives.join(', ')} shows beside it`,
        {
          ref: { measure, dimension: table },
          found: () => `${table} does not reach ${measure}, which ${perspectives.join(', ')} shows beside it`,
          about: [{ measure }, { table }, ...perspectives.map((perspective) => ({ perspective }))],
          judge: (data) => {
            if (!data.checker.measure(measure)?.typed) return restsOn(`formula-valid:${measure}`);
            const fine =
              measureBases(data.checker, measure).length === 0 || reaches(data.checker, measure, table);
            return {
              verdict: fine ? 'holds' : 'broken',
              evidence: {
                checked: 1,
                against: fine ? 0 : 1,
                ...(fine
                  ? {}
                  : { notes: [`${measure} does not apply beside ${table}: no relationship leads there`] }),
              },
            };
          },
        },
      ),
    );
  },
};

export const perspectiveClosed: ClaimKind = {
  kind: 'perspective-closed',
  weight: 'blocks',
  subject: 'perspective',
  example:
    '`perspective-closed:Branch managers`: all that it shows is there and works together; a hierarchy without one of its columns breaks it.',
  documentation:
    'A perspective shows something missing or hidden, a hierarchy with a level whose table or column it lacks, a measure with no dimension that reaches it, or a dimension with no measure.',
  list: ({ model }) =>
    (model.perspectives ?? []).map((p) =>
      claimOf(perspectiveClosed, p.name, `all that ${p.name} shows is there and works together`, {
        ref: { perspective: p.name },
        about: [{ perspective: p.name }],
        found: (e) =>
          `${counted(e.against, 'thing')} that ${p.name} shows ${e.against === 1 ? 'is' : 'are'} missing or ${e.against === 1 ? 'does' : 'do'} not work with the rest`,
        judge: (data) => {
          const notes = [
            ...missing(data.checker, p),
            ...openHierarchies(data.checker, p),
            ...lonely(data.checker, p),
          ];
          return {
            verdict: notes.length ? 'broken' : 'holds',
            evidence: {
              checked:
                p.tables.length +
                (p.measures ?? []).length +
                (p.hierarchies ?? []).length +
                (p.columns ?? []).length,
              against: notes.length,
              ...(notes.length ? { notes } : {}),
            },
          };
        },
        remedies: (_, data) => [
          ...(data ? closing(data.checker, p) : []),
          {
            id: 'remove-perspective',
            title: `Remove the perspective ${p.name}`,
            effect: 'It is removed from this perspective; nothing else changes.',
            edit: [{ do: 'remove-perspectives', name: p.name }],
          },
        ],
      }),
    ),
};

function missing(checker: FormulaChecker, p: Perspective): string[] {
  const { names } = checker;
  return [
    ...p.tables.flatMap((name) => {
      const table = names.table(name);
      return table ? (table.hidden ? [`the table ${name} is hidden`] : []) : [`there is no table ${name}`];
    }),
    ...(p.columns ?? []).flatMap((path) => {
      const found = names.path(path);
      if (!found) return [`there is no column ${path}`];
      return found.column.hidden || found.table.hidden ? [`the column ${path} is hidden`] : [];
    }),
    ...(p.hierarchies ?? []).flatMap((path) =>
      names.hierarchy(path) ? [] : [`there is no hierarchy ${path}`],
    ),
    ...(p.measures ?? []).flatMap((name) => {
      const measure = names.measure(name);
      return measure
        ? measure.hidden
          ? [`the measure ${name} is hidden`]
          : []
        : [`there is no measure ${name}`];
    }),
  ];
}

function openHierarchies(checker: FormulaChecker, p: Perspective): string[] {
  return (p.hierarchies ?? []).flatMap((path) => {
    const hierarchy = checker.names.hierarchy(path);
    if (!hierarchy) return [];
    return hierarchyColumns(checker, hierarchy)
      .filter(({ table, column }) => !showsColumn(checker, p, table, column))
      .map(({ table, column }) => `${path} needs ${table}.${column}, which is not shown`);
  });
}

function hierarchyColumns(checker: FormulaChecker, h: Hierarchy): { table: string; column: string }[] {
  if (h.parent !== undefined) return [{ table: h.table, column: h.label ?? h.parent }];
  return (h.levels ?? []).flatMap((level) => {
    const own = checker.names.column(h.table, level.column);
    const found = own ? { table: h.table, column: own.name } : undefined;
    if (found) return [found];
    const path = checker.names.path(level.column);
    return path ? [{ table: path.table.name, column: path.column.name }] : [];
  });
}

function showsColumn(checker: FormulaChecker, p: Perspective, table: string, column: string): boolean {
  return (
    p.tables.some((name) => sameName(name, table)) ||
    (p.columns ?? []).some((path) => {
      const found = checker.names.path(path);
      return found !== undefined && sameName(found.table.name, table) && sameName(found.column.name, column);
    })
  );
}

function lonely(checker: FormulaChecker, p: Perspective): string[] {
  const dimensions = shownTables(checker, p).filter((t) => isDimension(checker, t));
  const measures = (p.measures ?? []).filter(
    (name) => checker.measure(name)?.typed !== undefined && measureBases(checker, name).length > 0,
  );
  const stuck =
    dimensions.length === 0 ? [] : measures.filter((m) => !dimensions.some((t) => reaches(checker, m, t)));
  const idle = (p.measures ?? []).some((name) => checker.measure(name)?.typed === undefined)
    ? []
    : dimensions.filter((t) => !measures.some((m) => reaches(checker, m, t)));
  return [
    ...(dimensions.length === 0 && measures.length > 0
      ? [`${measures.join(', ')}: no dimension is shown that reaches it`]
      : stuck.map((m) => `${m}: no dimension that is shown reaches it`)),
    ...idle.map((t) => `${t}: no measure that is shown is reached by it`),
  ];
}

/**
 * The perspective without what is missing, hidden or idle, and with the columns that its hierarchies need.
 */
function closing(checker: FormulaChecker, p: Perspective): Remedy[] {
  const { names } = checker;
  const dimensions = (tables: readonly string[]) => tables.filter((t) => isDimension(checker, t));
  const tables = p.tables.filter((name) => names.table(name) && !names.table(name)!.hidden);
  const hierarchies = (p.hierarchies ?? []).filter((path) => names.hierarchy(path));
  const needed = hierarchies.flatMap((path) =>
    hierarchyColumns(checker, names.hierarchy(path)!).filter(
      ({ table, column }) => !showsColumn(checker, { ...p, tables }, table, column),
    ),
  );
  const shown = (p.columns ?? []).filter((path) => {
    const found = names.path(path);
    return found && !found.column.hidden && !found.table.hidden;
  });
  const columns = [...new Set([...shown, ...needed.map((c) => columnPath(c.table, c.column))])];
  const all = shownTables(checker, { ...p, tables, columns });
  const measures = (p.measures ?? []).filter(
    (m) =>
      names.measure(m) &&
      !names.measure(m)!.hidden &&
      (measureBases(checker, m).length === 0 || dimensions(all).some((t) => reaches(checker, m, t))),
  );
  const idle = dimensions(tables).filter((t) => !measures.some((m) => reaches(checker, m, t)));
  const value = { ...p, tables: tables.filter((t) => !idle.includes(t)), columns, hierarchies, measures };
  const count = (list: readonly string[] | undefined) => list?.length ?? 0;
  const out =
    count(p.tables) -
    value.tables.length +
    count(p.measures) -
    measures.length +
    count(p.hierarchies) -
    hierarchies.length;
  if (value.tables.length === 0 && columns.length === 0) return [];
  return [
    {
      id: 'close-perspective',
      title: 'Close it',
      effect: [
        out > 0 || shown.length < count(p.columns)
          ? `Removes what is missing, hidden or not reached (${out + count(p.columns) - shown.length})`
          : '',
        needed.length > 0
          ? `${needed.map((c) => columnPath(c.table, c.column)).join(', ')} ${needed.length === 1 ? 'is' : 'are'} shown for the hierarchies`
          : '',
      ]
        .filter(Boolean)
        .join('; ')
        .concat('.'),
      edit: [{ do: 'put-perspectives', name: p.name, value }],
    },
  ];
}
