import type { FormulaChecker } from '../formula/index.ts';
import type { Model, Query, Question } from '../model/index.ts';
import { quotePath } from '../formula/index.ts';
import { wayTo } from './ways.ts';

/** Whether the model can answer a question of a fact, and what it lacks. */
export interface QuestionState {
  readonly question: Question;
  readonly answers: boolean;
  /** What is missing, in plain words: a measure, a dimension, a column, a way. Empty words too: a question that names nothing cannot be judged. */
  readonly missing: readonly string[];
  /** The trial that answers it. */
  readonly query?: Query;
}

/** Judges a question: its measures must be there and sound, its columns must be there and reach the base tables of each measure. */
export function questionState(checker: FormulaChecker, question: Question): QuestionState {
  const missing: string[] = [];
  const by: NonNullable<Query['by']> = [];
  const tables: { table: string; text: string }[] = [];
  for (const text of question.by ?? []) {
    const found = itemOf(checker.model, text);
    if ('missing' in found) missing.push(found.missing);
    else {
      by.push(found.item);
      tables.push({ table: found.table, text });
    }
  }
  for (const name of question.measures ?? []) {
    const measure = checker.measure(name);
    if (!measure) missing.push(`there is no measure ${name}`);
    else if (!measure.typed) missing.push(`the formula of ${name} is broken`);
    else
      for (const base of checker.basesOf(measure.typed)) {
        const home = checker.names.table(base)!.name;
        for (const { table, text } of tables) {
          const way = wayTo(checker.model, home, table, checker.reach);
          if (way.kind === 'none' || way.kind === 'ambiguous') missing.push(`${text} does not reach ${name}: ${way.says[0]}`);
        }
      }
  }
  if ((question.measures ?? []).length === 0) missing.push('it names no measure yet: say what is counted or added up');
  if (missing.length > 0) return { question, answers: false, missing: [...new Set(missing)] };
  return { question, answers: true, missing: [], query: { ...(by.length > 0 ? { by } : {}), measures: question.measures!, totals: true } };
}

/** What an item of a question names: `table.column`, or `table.hierarchy.level`. */
function itemOf(model: Model, text: string): { item: NonNullable<Query['by']>[number]; table: string } | { missing: string } {
  const wanted = text.replaceAll('"', '').toLowerCase();
  for (const t of model.tables) {
    for (const c of t.columns) if (`${t.name}.${c.name}`.toLowerCase() === wanted) return { item: plain(t.name, c.name), table: t.name };
  }
  for (const h of model.hierarchies ?? [])
    for (const level of h.levels ?? [])
      if (`${h.table}.${h.name}.${level.name}`.toLowerCase() === wanted)
        return { item: { hierarchy: plain(h.table, h.name), level: level.name }, table: h.table };
  const home = model.tables.find((t) => wanted.startsWith(`${t.name.toLowerCase()}.`));
  if (home) return { missing: `${home.name} has no column or level ${text.slice(home.name.length + 1)}` };
  return { missing: text.includes('.') ? `there is no dimension ${text.split('.')[0]}` : `there is no dimension or column ${text}` };
}

const plain = (table: string, name: string): string => (/[."]/.test(table + name) ? quotePath(table, name) : `${table}.${name}`);

/** Names of things in the words of a question: measures by name or title; columns, levels and dimensions by name, title or label. Longest first. */
export function recognised(model: Model, ask: string): Pick<Question, 'by' | 'measures'> {
  const text = ` ${fold(ask)} `;
  const has = (name: string | undefined): boolean =>
    name !== undefined &&
    fold(name).length > 2 &&
    [fold(name), `${fold(name)}s`, fold(name).replace(/s$/, '')].some((form) => text.includes(` ${form} `));
  const measures = (model.measures ?? []).filter((m) => !m.hidden && (has(m.name) || has(m.title)));
  // The longer name of two that overlap is meant: "late loans" rather than "loans".
  const kept = measures.filter((m) => !measures.some((other) => other !== m && fold(other.name).includes(fold(m.name))));
  const by = new Map<string, string>();
  for (const h of model.hierarchies ?? [])
    for (const level of h.levels ?? []) if (has(level.name)) by.set(fold(level.name), `${h.table}.${h.name}.${level.name}`);
  for (const t of model.tables.filter((x) => x.role === 'dimension')) {
    for (const c of t.columns)
      if (!c.hidden && c.use !== 'quantity' && (has(c.name) || has(c.title)) && !by.has(fold(c.name)))
        by.set(fold(c.name), `${t.name}.${c.name}`);
    if ((has(t.name) || has(t.title)) && !by.has(fold(t.name)) && t.label) by.set(fold(t.name), `${t.name}.${t.label}`);
  }
  return { by: [...by.values()].slice(0, 4), measures: kept.map((m) => m.name) };
}

const fold = (text: string): string =>
  text
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim();
