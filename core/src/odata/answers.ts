import type { Evaluate } from '../formula/index.ts';
import { compileScalar, FormulaChecker, quotePath } from '../formula/index.ts';
import type { ByItem, MeasureItem, Model, Query } from '../model/index.ts';
import type { Json, ModelData } from '../query/index.ts';
import { answerQuery } from '../query/index.ts';
import type { DataType, Value } from '../values/index.ts';
import { compareValues, formatType, fromJson, parseType, TEXT } from '../values/index.ts';
import type { Expression } from './expression.ts';
import { notOffered, wrong } from './odataError.ts';
import type { Aggregated, Options, Ordered, Transformation } from './options.ts';
import type { Page } from './page.ts';
import type { AnswerProperty, ODataService } from './service.ts';
import { formulaOf } from './toFormula.ts';

type Answers = ODataService['answers'];
type Grouping = Extract<Transformation, { kind: 'groupby' | 'aggregate' }>;

/** An answer as rows of properties, before it is cut into pages. */
interface Result {
  readonly properties: readonly { readonly id: string; readonly type: DataType }[];
  readonly rows: readonly (readonly Json[])[];
}

/** Methods of `aggregate(… with …)`, as columns have them (Data Aggregation 4.0, 3.1.3). */
const METHODS = {
  sum: 'sum',
  min: 'min',
  max: 'max',
  average: 'avg',
  countdistinct: 'distinct',
} as const;

const isMethod = (name: string): name is keyof typeof METHODS => Object.hasOwn(METHODS, name);

/**
 * Answers $apply over attributes and measures: conditions before the grouping are the question's own, those
 * after it choose among its rows. Without $apply the attributes and measures of $select are asked for. Throws
 * ODataError.
 */
export function answers(data: ModelData, set: Answers, options: Options, place: number, most: number): Page {
  const steps = options.apply ?? selected(set, options.select);
  const at = steps.findIndex((s) => s.kind === 'groupby' || s.kind === 'aggregate');
  if (at < 0) throw wrong('$apply: group by attributes, or aggregate measures');
  const [before, grouping, after] = [steps.slice(0, at), steps[at] as Grouping, steps.slice(at + 1)];
  const asked = ask(data, set, before, grouping);
  const made = after.reduce(applied, asked);
  const fit = [
    ...(options.filter ? [{ kind: 'filter' as const, where: options.filter }] : []),
    ...(options.order.length > 0 ? [{ kind: 'orderby' as const, order: options.order }] : []),
  ].reduce<Result>(applied, made);
  const start = options.skip + place;
  const wanted = Math.min(most, (options.top ?? Infinity) - place);
  const isMore = fit.rows.length > start + wanted && (options.top ?? Infinity) > place + wanted;
  const page = narrowed(fit, options.apply ? options.select : undefined);
  const rows = page.rows.slice(start, start + wanted);
  return {
    set: set.id,
    properties: page.properties,
    isWhole: false,
    rows,
    ...(options.count ? { count: fit.rows.length } : {}),
    ...(isMore ? { next: place + rows.length } : {}),
  };
}

function propertyOf(set: Answers, id: string): AnswerProperty {
  const found = set.properties.find((p) => p.id.toLowerCase() === id.toLowerCase());
  if (!found) throw wrong(`${set.id} has no property ${id}`);
  return found;
}

/** What $select asks for where there is no $apply. */
function selected(set: Answers, select: Options['select']): Transformation[] {
  if (!select || select.includes('*'))
    throw wrong(
      `${set.id} is asked with $apply, such as $apply=groupby((ATTRIBUTE),aggregate(MEASURE)), or with $select=ATTRIBUTE,MEASURE`,
    );
  const properties = [...new Set(select.map((id) => propertyOf(set, id)))];
  const aggregate = properties.filter((p) => p.kind === 'measure').map((p) => ({ property: p.id }));
  const by = properties.filter((p) => p.kind === 'attribute').map((p) => p.id);
  return [by.length > 0 ? { kind: 'groupby', by, aggregate } : { kind: 'aggregate', aggregate }];
}

function ask(data: ModelData, set: Answers, before: readonly Transformation[], grouping: Grouping): Result {
  const filters = before.map((step) => {
    if (step.kind !== 'filter') throw notOffered(`${step.kind} before the grouping`);
    return { where: formulaOf(step.where, (id) => attributeOf(set, id)) };
  });
  const by = (grouping.kind === 'groupby' ? grouping.by : []).map((id) => {
    const found = propertyOf(set, id);
    if (found.kind === 'measure') throw wrong(`${id} is a measure: aggregate it`);
    return found;
  });
  const measures = grouping.aggregate.map((one) => measureOf(set, one));
  const query: Query = {
    by: by.map((p): ByItem => p.item),
    measures: measures.map((m) => m.item),
    ...(filters.length > 0 ? { filters } : {}),
    // Members that are there, whether or not something was counted of them.
    ...(measures.length === 0 ? { empty: 'show' as const } : {}),
  };
  const answer = answerQuery(data, query);
  const ids = [...by.map((p) => p.id), ...measures.map((m) => m.id)];
  const twice = ids.find((id, i) => ids.indexOf(id) !== i);
  if (twice !== undefined) throw wrong(`${twice} stands twice: give it another name with "as"`);
  return {
    properties: ids.map((id, i) => ({ id, type: parseType(answer.columns[i]!.type) ?? TEXT })),
    rows: answer.rows as readonly (readonly Json[])[],
  };
}

function attributeOf(set: Answers, id: string): { formula: string; type: DataType } {
  const found = propertyOf(set, id);
  if (found.kind === 'measure')
    throw wrong(`${id} is a measure: it is filtered after the grouping, in $filter or a filter(…) behind it`);
  return found;
}

function measureOf(set: Answers, { property, method, as }: Aggregated): { id: string; item: MeasureItem } {
  if (property.toLowerCase() === '$count') throw notOffered('$count in aggregate');
  const found = propertyOf(set, property);
  const id = as ?? found.id;
  if (found.kind === 'measure') {
    if (method !== undefined) throw wrong(`${property} is aggregated already: leave "with ${method}" out`);
    return { id, item: found.measure };
  }
  if (method === undefined || as === undefined)
    throw wrong(`${property} is an attribute: aggregate it "with" a method, "as" a name`);
  if (!isMethod(method)) throw notOffered(`the method ${method}`);
  if (typeof found.item !== 'string') throw notOffered(`a method for the level ${property}`);
  return { id, item: { column: found.item, aggregate: METHODS[method] } };
}

/** What a transformation makes of an answer. */
function applied(result: Result, step: Transformation): Result {
  switch (step.kind) {
    case 'filter':
      return filtered(result, step.where);
    case 'orderby':
      return sorted(result, step.order);
    case 'top':
      return { ...result, rows: result.rows.slice(0, step.count) };
    case 'skip':
      return { ...result, rows: result.rows.slice(step.count) };
    default:
      throw notOffered('grouping what is grouped already');
  }
}

function placeOf({ properties }: Result, id: string): number {
  const place = properties.findIndex((p) => p.id.toLowerCase() === id.toLowerCase());
  if (place < 0) throw wrong(`the answer has no property ${id}`);
  return place;
}

const valueOf = (json: Json, type: DataType): Value =>
  json === null ? null : (fromJson(json, type) ?? null);

/** Rows of an answer that fit a condition: they are checked as the rows of a table are. */
function filtered(result: Result, where: Expression): Result {
  const model: Model = {
    crease: 1,
    name: 'answer',
    tables: [
      {
        name: 'answer',
        role: 'fact',
        columns: result.properties.map(({ id, type }) => ({ name: id, type: formatType(type) })),
      },
    ],
  };
  const formula = formulaOf(where, (id) => {
    const { id: name, type } = result.properties[placeOf(result, id)]!;
    return { formula: quotePath('answer', name), type };
  });
  const { typed, faults } = new FormulaChecker(model).rowFormula(model.tables[0]!, formula);
  if (!typed || typed.type?.kind !== 'boolean')
    throw wrong(`the condition: ${faults[0]?.message ?? 'it is none'}`);
  const passes: Evaluate = compileScalar(typed, (node) => {
    if (node.kind !== 'column') throw new TypeError(`${node.kind} has no place in a row of an answer`);
    const place = placeOf(result, node.column);
    const { type } = result.properties[place]!;
    return (row) => valueOf(result.rows[row]![place]!, type);
  });
  return { ...result, rows: result.rows.filter((_, row) => passes(row) === true) };
}

/** Null is the least value, as OData has it. */
function sorted(result: Result, order: readonly Ordered[]): Result {
  const by = order.map(({ property, isDescending }) => {
    const place = placeOf(result, property);
    return { place, type: result.properties[place]!.type, sign: isDescending ? -1 : 1 };
  });
  const compare = (a: Value, b: Value): number => {
    if (a === null || b === null) return Number(a !== null) - Number(b !== null);
    return compareValues(a, b);
  };
  const rows = [...result.rows].sort((a, b) => {
    for (const { place, type, sign } of by) {
      const difference = compare(valueOf(a[place]!, type), valueOf(b[place]!, type));
      if (difference !== 0) return sign * difference;
    }
    return 0;
  });
  return { ...result, rows };
}

function narrowed(result: Result, select: Options['select']): Result {
  if (!select || select.includes('*')) return result;
  const places = [...new Set(select.map((id) => placeOf(result, id)))];
  return {
    properties: places.map((place) => result.properties[place]!),
    rows: result.rows.map((row) => places.map((place) => row[place]!)),
  };
}
