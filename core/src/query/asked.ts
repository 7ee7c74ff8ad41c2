import type { DataType } from '../values/index.ts';
import { BOOLEAN, formatType, fromJson, nearestName, parseType, TEXT } from '../values/index.ts';
import type { PeriodShape } from '../calendar/index.ts';
import type { ByItem, Model, PlainFilter, PlainQuery } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { CheckedFormula, Typed } from '../formula/index.ts';
import { parsePeriod, placeOf } from '../formula/index.ts';
import type { Named } from './axes.ts';
import { QueryError, resolvePath } from './axes.ts';
import type { ContextShape, FormulaCondition, MembersCondition } from './context.ts';
import { formulaCondition } from './context.ts';
import { meetsOf, NO_REFERENCE, UNMATCHED } from './noMember.ts';
import type { ModelData } from './modelData.ts';
import { unreachedColumns } from './scan.ts';

// What a query names, resolved by the model alone: both evaluators ask here, so that they refuse the same
// with the same words.

/** A measure of a query, checked. */
export interface AskedMeasure {
  readonly name: string;
  readonly node: Typed;
  readonly type: DataType;
}

/** The measure asked for, or an error that names it with all its faults. */
export function askedMeasure(data: Named, name: string): AskedMeasure {
  const measure = data.checker.names.measure(name);
  if (!measure) {
    const near = nearestName(
      name,
      (data.model.measures ?? []).map((m) => m.name),
    );
    throw new QueryError(`there is no measure "${name}"${near ? `: did you mean "${near}"?` : ''}`);
  }
  const checked = data.checker.measure(measure.name)!;
  if (!checked.typed)
    throw new QueryError(brokenMeasure(data, measure.name, checked), {
      code: 'rests-on',
      claim: `formula-valid:${measure.name}`,
    });
  return {
    name: measure.name,
    node: { kind: 'measure', name: measure.name, type: checked.typed.type, span: checked.typed.span },
    type: checked.typed.type ?? TEXT,
  };
}

/** What is wrong with a measure, with places, down to the measures that it rests on. */
function brokenMeasure(
  data: Pick<ModelData, 'checker'>,
  name: string,
  checked: CheckedFormula,
  seen: readonly string[] = [],
): string {
  const own = checked.faults.map((fault) => {
    const { line, column } = placeOf(checked.source, fault.start);
    return `measure "${name}", line ${line}, column ${column}: ${fault.message}`;
  });
  const below = checked.restsOn
    .filter((other) => !seen.includes(other))
    .map(
      (other) =>
        `measure "${name}" uses "${other}", which is broken: ${brokenMeasure(data, other, data.checker.measure(other)!, [...seen, name])}`,
    );
  return [...own, ...below].join('\n');
}

/** A filter of a query: a condition, or a period of a calendar. */
export type AskedFilter =
  | FormulaCondition
  | MembersCondition
  | {
      readonly kind: 'period';
      readonly period: PeriodShape;
      readonly calendar: NonNullable<Model['calendars']>[number];
    };

/** `apart`: null names rows that found a null, not those that found no row. */
export function askedFilter(data: Named, filter: PlainFilter, apart = false): AskedFilter {
  if ('column' in filter) return memberCondition(data, filter, apart);
  if ('where' in filter) {
    const checked = data.checker.condition(filter.where);
    if (!checked.typed) {
      const fault = checked.faults[0]!;
      throw new QueryError(
        `the filter ${filter.where}, column ${placeOf(filter.where, fault.start).column}: ${checked.faults.map((f) => f.message).join('; ')}`,
      );
    }
    return formulaCondition(checked.typed);
  }
  const { period, faults } = parsePeriod(filter.period);
  if (!period || faults.length > 0)
    throw new QueryError(`the period filter: ${faults.map((f) => f.message).join('; ')}`);
  const calendars = data.model.calendars ?? [];
  const own = calendars.filter((c) => !data.checker.names.isRole(c.table));
  const calendar =
    filter.calendar === undefined ? own[0] : calendars.find((c) => sameName(c.table, filter.calendar!));
  if (!calendar || (filter.calendar === undefined && own.length > 1)) {
    throw new QueryError(
      filter.calendar === undefined
        ? `a period filter names its calendar: ${own.map((c) => c.table).join(', ') || 'the model has none'}`
        : `"${filter.calendar}" is no calendar of the model`,
    );
  }
  return { kind: 'period', period, calendar };
}

function memberCondition(
  data: Named,
  filter: Extract<PlainFilter, { column: string }>,
  apart: boolean,
): FormulaCondition | MembersCondition {
  const { table, column } = resolvePath(data, filter.column);
  const type = parseType(data.checker.names.column(table, column)!.type) ?? TEXT;
  const span = { start: 0, end: 0 };
  const operand: Typed = { kind: 'column', table, column, type, span };
  const noMembers = filter.in.filter((member) => member !== null && typeof member === 'object');
  const members = filter.in
    .filter((member) => member !== null && typeof member !== 'object')
    .flatMap((member): Typed[] => {
      const value = fromJson(member, type);
      if (value === undefined && typeof member !== 'number' && type.kind !== 'text')
        throw new QueryError(
          `the filter on ${filter.column}: ${JSON.stringify(member)} is no ${formatType(type)}`,
        );
      if (value === undefined && (type.kind === 'text' || type.kind === 'boolean'))
        throw new QueryError(
          `the filter on ${filter.column}: ${JSON.stringify(member)} is no ${formatType(type)}`,
        );
      return value === undefined ? [] : [{ kind: 'constant', value, type, span }];
    });
  const among: Typed = { kind: 'in', operand, list: members, not: false, type: BOOLEAN, span };
  const none: Typed = { kind: 'is-null', operand, not: false, type: BOOLEAN, span };
  const typed: Typed = filter.in.includes(null)
    ? { kind: 'logic', operator: 'or', left: among, right: none, type: BOOLEAN, span }
    : among;
  const columns = [{ table, column }];
  if (noMembers.length === 0 && !(apart && filter.in.includes(null)))
    return { kind: 'formula', typed, columns };
  // Without `apart`, null stands for all rows that have no member.
  const all = filter.in.includes(null) && !apart;
  return { kind: 'members', typed, columns, meets: all ? [NO_REFERENCE, UNMATCHED] : noMembers.map(meetsOf) };
}

/** Tables whose combinations are listed under `"empty": "show"`. */
export function emptyBases(data: Named, context: ContextShape): string[] {
  const tables = [...new Set(context.axes.map((axis) => axis.table))];
  if (tables.length === 1) return tables;
  const axesOnly: ContextShape = { ...context, steps: [] };
  return data.model.tables
    .filter((t) => t.role === 'fact' && unreachedColumns(data, axesOnly, t.name).length === 0)
    .map((t) => t.name);
}

/**
 * What an entry of `sort` names: a measure or an item of `by`, by its place. Throws QueryError where the
 * query asks for no such thing.
 */
export function sortedBy(
  query: Pick<PlainQuery, 'by'>,
  of: string | ByItem,
  axes: readonly { readonly name: string }[],
  measures: readonly { readonly name: string }[],
): { measure: number } | { axis: number } {
  const measure = typeof of === 'string' ? measures.findIndex((m) => sameName(m.name, of)) : -1;
  if (measure >= 0) return { measure };
  const axis = (query.by ?? []).findIndex(
    (item, p) =>
      sameItem(item, of) || (typeof of === 'string' && sameName(axes[p]!.name, of.replaceAll('"', ''))),
  );
  if (axis < 0) throw new QueryError(`sort names ${JSON.stringify(of)}, which the query does not ask for`);
  return { axis };
}

const sameItem = (a: ByItem, b: ByItem): boolean =>
  JSON.stringify(a).toLowerCase() === JSON.stringify(b).toLowerCase();
