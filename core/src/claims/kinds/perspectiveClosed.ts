import type { Perspective, PerspectivePart } from '../../model/index.ts';
import { isShown, keepShown, PERSPECTIVE_PARTS, sameName, showMore, shownNames } from '../../model/index.ts';
import type { FormulaChecker } from '../../formula/index.ts';
import { columnPath } from '../../formula/index.ts';
import { counted } from './words.ts';
import type { ClaimKind, Remedy } from '../claim.ts';
import { claimOf } from '../claim.ts';
import type { Needs } from './perspectiveParts.ts';
import {
  hierarchyColumns,
  isDimension,
  listingNeeds,
  measureBases,
  notShown,
  questionNeeds,
  reaches,
  showsColumn,
  shownTables,
} from './perspectiveParts.ts';

export const perspectiveClosed: ClaimKind = {
  kind: 'perspective-closed',
  weight: 'blocks',
  subject: 'perspective',
  example:
    '`perspective-closed:Branch managers`: all that it shows is there and works together; a hierarchy without one of its columns breaks it.',
  documentation:
    'A perspective shows something missing or hidden, a hierarchy with a level whose table or column it lacks, a listing or a kept trial with a column or a measure that it lacks, a measure with no dimension that reaches it, or a dimension with no measure.',
  list: ({ model }) =>
    (model.perspectives ?? []).map((p) =>
      claimOf(perspectiveClosed, p.name, `all that ${p.name} shows is there and works together`, {
        ref: { perspective: p.name },
        about: [{ perspective: p.name }],
        found: (e) =>
          `${counted(e.against, 'thing')} that ${p.name} shows ${e.against === 1 ? 'is' : 'are'} missing or ${e.against === 1 ? 'does' : 'do'} not work with the rest`,
        judge: (data) => {
          const notes = openIn(data.checker, p);
          return {
            verdict: notes.length ? 'broken' : 'holds',
            evidence: {
              checked: PERSPECTIVE_PARTS.reduce((n, part) => n + shownNames(p, part).length, 0),
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

/** All that a perspective shows and that is missing, hidden, or does not work with the rest; in words. */
export const openIn = (checker: FormulaChecker, p: Perspective): string[] => [
  ...missing(checker, p),
  ...openHierarchies(checker, p),
  ...openQuestions(checker, p),
  ...lonely(checker, p),
];

function missing(checker: FormulaChecker, p: Perspective): string[] {
  const { names, model } = checker;
  const absent = (part: PerspectivePart, kind: string, isThere: (name: string) => boolean) =>
    shownNames(p, part).flatMap((name) => (isThere(name) ? [] : [`there is no ${kind} ${name}`]));
  return [
    ...shownNames(p, 'tables').flatMap((name) => {
      const table = names.table(name);
      return table ? (table.hidden ? [`the table ${name} is hidden`] : []) : [`there is no table ${name}`];
    }),
    ...shownNames(p, 'columns').flatMap((path) => {
      const found = names.path(path);
      if (!found) return [`there is no column ${path}`];
      return found.column.hidden || found.table.hidden ? [`the column ${path} is hidden`] : [];
    }),
    ...absent('hierarchies', 'hierarchy', (path) => names.hierarchy(path) !== undefined),
    ...shownNames(p, 'measures').flatMap((name) => {
      const measure = names.measure(name);
      return measure
        ? measure.hidden
          ? [`the measure ${name} is hidden`]
          : []
        : [`there is no measure ${name}`];
    }),
    ...absent('listings', 'detail listing', (name) => named(model.detailListings, name) !== undefined),
    ...absent('trials', 'kept trial', (name) => named(model.trials, name) !== undefined),
  ];
}

const named = <T extends { readonly name: string }>(list: readonly T[] | undefined, name: string) =>
  (list ?? []).find((one) => sameName(one.name, name));

function openHierarchies(checker: FormulaChecker, p: Perspective): string[] {
  return shownNames(p, 'hierarchies').flatMap((path) => {
    const hierarchy = checker.names.hierarchy(path);
    if (!hierarchy) return [];
    return hierarchyColumns(checker, hierarchy)
      .filter((column) => !showsColumn(checker, p, column))
      .map(({ table, column }) => `${path} needs ${table}.${column}, which is not shown`);
  });
}

/** Listings and trials that show what the audience does not see. */
function openQuestions(checker: FormulaChecker, p: Perspective): string[] {
  return questionsShown(checker, p).flatMap(({ name, needs }) =>
    notShown(checker, p, needs).map((needed) => `${name} needs ${needed}, which is not shown`),
  );
}

/** The listings and kept trials that are shown, with what they need. */
function questionsShown(checker: FormulaChecker, p: Perspective): { name: string; needs: Needs }[] {
  const { model } = checker;
  const listings = shownNames(p, 'listings').flatMap((name) => {
    const listing = named(model.detailListings, name);
    return listing ? [{ name, needs: listingNeeds(checker, listing) }] : [];
  });
  const trials = shownNames(p, 'trials').flatMap((name) => {
    const trial = named(model.trials, name);
    return trial ? [{ name, needs: questionNeeds(checker, trial.query) }] : [];
  });
  return [...listings, ...trials];
}

function lonely(checker: FormulaChecker, p: Perspective): string[] {
  const dimensions = shownTables(checker, p).filter((t) => isDimension(checker, t));
  const all = shownNames(p, 'measures');
  const measures = all.filter(
    (name) => checker.measure(name)?.typed !== undefined && measureBases(checker, name).length > 0,
  );
  const stuck =
    dimensions.length === 0 ? [] : measures.filter((m) => !dimensions.some((t) => reaches(checker, m, t)));
  const idle = all.some((name) => checker.measure(name)?.typed === undefined)
    ? []
    : dimensions.filter((t) => !measures.some((m) => reaches(checker, m, t)));
  return [
    ...(dimensions.length === 0 && measures.length > 0
      ? [`${measures.join(', ')}: no dimension is shown that reaches it`]
      : stuck.map((m) => `${m}: no dimension that is shown reaches it`)),
    ...idle.map((t) => `${t}: no measure that is shown is reached by it`),
  ];
}

/** The perspective without what is missing or hidden. */
function withoutMissing(checker: FormulaChecker, p: Perspective): Perspective {
  const { names, model } = checker;
  const isThere: Readonly<Record<PerspectivePart, (name: string) => boolean>> = {
    tables: (name) => names.table(name) !== undefined && !names.table(name)!.hidden,
    columns: (path) => {
      const found = names.path(path);
      return found !== undefined && !found.column.hidden && !found.table.hidden;
    },
    hierarchies: (path) => names.hierarchy(path) !== undefined,
    measures: (name) => names.measure(name) !== undefined && !names.measure(name)!.hidden,
    listings: (name) => named(model.detailListings, name) !== undefined,
    trials: (name) => named(model.trials, name) !== undefined,
  };
  return PERSPECTIVE_PARTS.reduce((at, part) => keepShown(at, part, isThere[part]), p);
}

/**
 * The perspective without what is missing, hidden or idle, and with what its hierarchies, listings and trials
 * need.
 */
function closing(checker: FormulaChecker, p: Perspective): Remedy[] {
  const { names } = checker;
  const there = withoutMissing(checker, p);
  const asked = questionsShown(checker, there).map(({ needs }) => needs);
  const isVisible = (name: string) => names.measure(name) !== undefined && !names.measure(name)!.hidden;
  const withMeasures = showMore(
    there,
    'measures',
    asked.flatMap((needs) => needs.measures).filter(isVisible),
  );
  const open = showMore(
    withMeasures,
    'hierarchies',
    asked.flatMap((needs) => needs.hierarchies).filter((path) => names.hierarchy(path) !== undefined),
  );
  const needed = [
    ...shownNames(open, 'hierarchies').flatMap((path) => hierarchyColumns(checker, names.hierarchy(path)!)),
    ...asked.flatMap((needs) => needs.columns),
  ]
    .filter((column) => !showsColumn(checker, open, column))
    .map((c) => columnPath(c.table, c.column));
  const whole = showMore(open, 'columns', [...new Set(needed)]);
  const dimensions = shownTables(checker, whole).filter((t) => isDimension(checker, t));
  const reached = keepShown(
    whole,
    'measures',
    (m) => measureBases(checker, m).length === 0 || dimensions.some((t) => reaches(checker, m, t)),
  );
  const measures = shownNames(reached, 'measures');
  const value = keepShown(
    reached,
    'tables',
    (t) => !isDimension(checker, t) || measures.some((m) => reaches(checker, m, t)),
  );
  if (shownNames(value, 'tables').length === 0 && shownNames(value, 'columns').length === 0) return [];
  const out = PERSPECTIVE_PARTS.flatMap((part) =>
    shownNames(p, part).filter((name) => !isShown(value, part, name)),
  );
  const added = PERSPECTIVE_PARTS.flatMap((part) =>
    shownNames(value, part).filter((name) => !isShown(p, part, name)),
  );
  return [
    {
      id: 'close-perspective',
      title: 'Close it',
      effect: [
        out.length > 0 ? `Removes what is missing, hidden or not reached (${out.length})` : '',
        added.length > 0
          ? `${added.join(', ')} ${added.length === 1 ? 'is' : 'are'} shown, because what is shown needs ${added.length === 1 ? 'it' : 'them'}`
          : '',
      ]
        .filter(Boolean)
        .join('; ')
        .concat('.'),
      edit: [{ do: 'put-perspectives', name: p.name, value }],
    },
  ];
}
