import { FormulaChecker } from '@crease/core/formula';
import type { Model, Table } from '@crease/core/model';
import { isLoaded, isPassedThrough, sameName } from '@crease/core/model';
import { daysWithoutCalendar } from '@crease/core/stars';
import type { Selection } from '../state/selection.ts';

/** Something to do on a stage, with what to select for it, or the view where it is done. */
export interface NextStep {
  readonly says: string;
  readonly select?: Selection;
  /** Beside the stages of the model, such as `../hierarchies?view=calendars`. */
  readonly to?: string;
}

/**
 * What the model lacks that a stage could add, the first things first. `stored` are names of tables that have
 * rows.
 */
export function nextSteps(stage: string, model: Model, stored: readonly string[]): NextStep[] {
  return STEPS[stage]?.(model, stored) ?? [];
}

type Finder = (model: Model, stored: readonly string[]) => NextStep[];

const tableStep = (says: string, { name }: Table): NextStep => ({ says, select: { kind: 'table', name } });
const withRole = ({ tables }: Model, ...roles: Table['role'][]): Table[] =>
  tables.filter((t) => roles.includes(t.role));
/** Tables that hold what levels could be made of. */
const MOST_TEXTS = 2;

/** Days and moments of facts that no calendar has: one is generated for them, or they are related to it. */
function daysStep(model: Model): NextStep[] {
  const days = daysWithoutCalendar(model);
  const [first] = days;
  if (!first) return [];
  const more = days.length > 1 ? ` and ${days.length - 1} more` : '';
  const calendar = model.calendars?.[0];
  const of = encodeURIComponent(`${first.table}.${first.column}`);
  return [
    calendar
      ? {
          says: `Relate ${first.table}.${first.column}${more} to ${calendar.table}`,
          to: '../hierarchies?view=calendars',
        }
      : {
          says: `Generate a calendar for ${first.table}.${first.column}${more}`,
          to: `../intake?view=calendar&of=${of}`,
        },
  ];
}

const STEPS: Readonly<Record<string, Finder>> = {
  intake: (model, stored) => [
    ...model.tables
      .filter((t) => isLoaded(t) && !isPassedThrough(t) && !stored.some((name) => sameName(name, t.name)))
      .map((t) => tableStep(`Import the rows of ${t.name}`, t)),
    ...(model.tables.length > 1 && (model.relationships ?? []).length === 0
      ? [{ says: 'Draft a star from the tables' }]
      : []),
  ],
  shape: (model) =>
    withRole(model, 'fact', 'dimension')
      .filter((t) => (t.key ?? []).length === 0)
      .map((t) => tableStep(`Set the key of ${t.name}`, t)),
  stars: (model) => {
    const related = (t: Table, end: 'from' | 'to') =>
      (model.relationships ?? []).some((r) => sameName(r[end].table, t.name));
    return [
      ...withRole(model, 'fact')
        .filter((t) => !related(t, 'from'))
        .map((t) => tableStep(`Relate ${t.name} to a dimension`, t)),
      ...withRole(model, 'dimension')
        .filter((t) => !related(t, 'to'))
        .map((t) => tableStep(`Relate a fact to ${t.name}`, t)),
      ...daysStep(model),
    ];
  },
  hierarchies: (model) => [
    ...daysStep(model),
    ...withRole(model, 'dimension')
      .filter(
        (t) =>
          !(model.hierarchies ?? []).some((h) => sameName(h.table, t.name)) &&
          t.columns.filter((c) => c.type.startsWith('text') && !c.hidden).length > MOST_TEXTS,
      )
      .map((t) => tableStep(`Add a hierarchy of ${t.name}`, t)),
  ],
  measures: (model) => {
    const checker = new FormulaChecker(model);
    const formulas = (model.measures ?? []).map((m) => ({ ...m, text: m.formula.toLowerCase() }));
    const isBase = (table: string, formula: string, name: string, via: string | undefined): boolean => {
      const { typed } = checker.measureFormula(formula, name, via);
      return typed !== undefined && checker.basesOf(typed).has(table);
    };
    return withRole(model, 'fact')
      .filter((t) => {
        // Only formulas that name the fact can be over its rows themselves: of thousands few are checked.
        const name = t.name.toLowerCase();
        return !formulas.some((m) => m.text.includes(name) && isBase(name, m.formula, m.name, m.via));
      })
      .map((t) => tableStep(`Add a measure over ${t.name}`, t));
  },
  perspectives: (model) =>
    (model.perspectives ?? []).length === 0 && (model.measures ?? []).length > 0
      ? [{ says: 'Add a perspective for each audience' }]
      : [],
  trial: (model) =>
    (model.measures ?? []).length === 0 ? [{ says: 'Add a measure on the Measures stage first' }] : [],
};
