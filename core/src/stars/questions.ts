import { columnPath, FormulaChecker, mentionsRole, roledChecker } from '../formula/index.ts';
import type { ByItem, Measure, Model, Query, Question } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { offeredMeasures } from '../propose/index.ts';
import type { ModelData, Named } from '../query/index.ts';
import { askedMeasure, axisShape, DataError, QueryError, unreachedBy } from '../query/index.ts';
import { wayTo } from './ways.ts';

/** Whether the model can answer a question of a fact, and what it lacks. */
export interface QuestionState {
  readonly question: Question;
  readonly answers: boolean;
  /** What is missing, in plain words: a measure, a dimension, a column, a way. */
  readonly missing: readonly string[];
  /** Measures that would make up for a missing one, under its name. */
  readonly offered?: readonly Measure[];
  /** The trial that answers it. */
  readonly query?: Query;
}

/**
 * Judges a question as a trial would be: its measures must be there and sound, its columns must be there and
 * reach what the measures are made of, at their level. Whether a column is coarse enough for a level is seen
 * on the rows; a setting without rows takes it to be.
 */
export function questionState(named: Named, question: Question): QuestionState {
  const setting = mentionsRole(named.model, { by: question.by ?? [], measures: [] })
    ? roledSetting(named)
    : named;
  const { model } = setting;
  const missing: string[] = [];
  const by: ByItem[] = [];
  const offered: Measure[] = [];
  for (const text of question.by ?? []) {
    const found = itemOf(model, text);
    if ('missing' in found) missing.push(found.missing);
    else by.push(found.item);
  }
  const axes = by.map((item) => axisShape(setting, item));
  for (const name of question.measures ?? []) {
    try {
      const { node } = askedMeasure(setting, name);
      for (const column of unreachedBy(setting, node, { axes, steps: [], via: [], repeat: false })) {
        missing.push(
          `${column.table}.${column.column} does not reach ${name}: ${whyNot(setting, node, column.table)}`,
        );
      }
    } catch (error) {
      if (!(error instanceof QueryError)) throw error;
      const offer = offeredFor(named.model, name);
      if (offer) offered.push({ ...offer.measure, name });
      missing.push(offer ? `it can be asked once ${offer.of} has a measure` : error.message);
    }
  }
  if ((question.measures ?? []).length === 0)
    missing.push('it names no measure yet: add what is counted or summed');
  if (missing.length > 0)
    return {
      question,
      answers: false,
      missing: [...new Set(missing)],
      ...(offered.length > 0 ? { offered } : {}),
    };
  return {
    question,
    answers: true,
    missing: [],
    query: { ...(by.length > 0 ? { by } : {}), measures: question.measures!, totals: true },
  };
}

/** A measure that a fact may have and the model lacks, by its name or that of its column. */
function offeredFor(model: Model, name: string): { measure: Measure; of: string } | undefined {
  if ((model.measures ?? []).some((m) => sameName(m.name, name))) return undefined;
  for (const fact of model.tables.filter((t) => t.role === 'fact'))
    for (const { measure, column } of offeredMeasures(model, fact)) {
      const isMeant = [measure.name, ...(column === undefined ? [] : [column])].some(
        (known) => fold(known) === fold(name),
      );
      if (isMeant) return { measure, of: column === undefined ? fact.name : columnPath(fact.name, column) };
    }
  return undefined;
}

function roledSetting(setting: Named): Named {
  const checker = roledChecker(setting.checker);
  return { model: checker.model, checker };
}

/**
 * The questions of each fact, by the fact's name. Where rows that decide are not there, the model alone is
 * asked.
 */
export function briefs(data: ModelData): Record<string, QuestionState[]> {
  const alone: Named = { model: data.model, checker: new FormulaChecker(data.model) };
  const judge = (question: Question): QuestionState => {
    try {
      return questionState(data, question);
    } catch (error) {
      if (error instanceof DataError) return questionState(alone, question);
      throw error;
    }
  };
  return Object.fromEntries(
    data.model.tables.filter((t) => t.role === 'fact').map((t) => [t.name, (t.questions ?? []).map(judge)]),
  );
}

/** Why a table does not reach the facts of a measure, the first that it does not reach. */
function whyNot({ checker, model }: Named, node: Parameters<typeof unreachedBy>[1], table: string): string {
  const ways = [...checker.basesOf(node)].map((base) =>
    wayTo(model, checker.names.table(base)!.name, table, checker.reach),
  );
  const none = ways.find((way) => way.kind === 'none' || way.kind === 'ambiguous');
  const level = ways.find((way) => way.level)?.level;
  return (
    none?.says[0] ??
    (level ? `they meet at ${level.join(', ')}, and it is finer` : 'the formula goes another way')
  );
}

/** What an item of a question names: `table.column`, or `table.hierarchy.level`. */
function itemOf(model: Model, text: string): { item: ByItem } | { missing: string } {
  const wanted = text.replaceAll('"', '').toLowerCase();
  for (const t of model.tables) {
    for (const c of t.columns)
      if (`${t.name}.${c.name}`.toLowerCase() === wanted) return { item: columnPath(t.name, c.name) };
  }
  for (const h of model.hierarchies ?? [])
    for (const level of h.levels ?? [])
      if (`${h.table}.${h.name}.${level.name}`.toLowerCase() === wanted)
        return { item: { hierarchy: columnPath(h.table, h.name), level: level.name } };
  const home = model.tables.find((t) => wanted.startsWith(`${t.name.toLowerCase()}.`));
  if (home) return { missing: `${home.name} has no column or level ${text.slice(home.name.length + 1)}` };
  return {
    missing: text.includes('.')
      ? `there is no dimension ${text.split('.')[0]}`
      : `there is no dimension or column ${text}`,
  };
}

/**
 * Names of things in the words of a question: measures by name or title, quantities that have none by their
 * column; columns, levels and dimensions by
 * name, title or label. Longest first.
 */
export function recognised(model: Model, ask: string): Pick<Question, 'by' | 'measures'> {
  const text = ` ${fold(ask)} `;
  const has = (name: string | undefined): boolean =>
    name !== undefined &&
    fold(name).length > 2 &&
    [fold(name), `${fold(name)}s`, fold(name).replace(/s$/, '')].some((form) => text.includes(` ${form} `));
  const measures = (model.measures ?? []).filter((m) => !m.hidden && (has(m.name) || has(m.title)));
  // The longer name of two that overlap is meant: "late loans" rather than "loans".
  const kept = measures.filter(
    (m) => !measures.some((other) => other !== m && fold(other.name).includes(fold(m.name))),
  );
  const by = new Map<string, string>();
  for (const h of model.hierarchies ?? [])
    for (const level of h.levels ?? [])
      if (has(level.name)) by.set(fold(level.name), `${h.table}.${h.name}.${level.name}`);
  for (const t of model.tables.filter((x) => x.role === 'dimension')) {
    for (const c of t.columns)
      if (!c.hidden && c.use !== 'quantity' && (has(c.name) || has(c.title)) && !by.has(fold(c.name)))
        by.set(fold(c.name), `${t.name}.${c.name}`);
    if ((has(t.name) || has(t.title)) && !by.has(fold(t.name)) && t.label)
      by.set(fold(t.name), `${t.name}.${t.label}`);
  }
  // Quantities without a measure are meant by their column: a measure of that name is offered.
  const columns = model.tables
    .filter((t) => t.role === 'fact')
    .flatMap((t) => offeredMeasures(model, t))
    .flatMap(({ column }) => (column !== undefined && has(column) ? [column] : []))
    .filter((column) => !kept.some((m) => fold(m.name).includes(fold(column))));
  return { by: [...by.values()].slice(0, 4), measures: [...kept.map((m) => m.name), ...new Set(columns)] };
}

const fold = (text: string): string =>
  text
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim();
