import type { Value } from '@crease/core/values';
import { DATE, fromJson, parseType, textReader, TEXT } from '@crease/core/values';
import { columnOfValues, tableOf } from '@crease/core/columns';
import type { Model } from '@crease/core/model';
import type { Executor } from '@crease/core/query';
import { readModel } from '@crease/core/model';
import { answerQuery, DataError, ModelData } from '@crease/core/query';
import { answerInSqlite } from '../../src/sql.ts';
import { onPaper } from './onPaper.ts';
import type { Question } from './question.ts';
import { question } from './question.ts';
import { Random } from './random.ts';
import { Reference } from './reference.ts';
import type { World } from './world.ts';
import { makeWorld } from './world.ts';

export interface Case {
  readonly world: World;
  readonly question: Question;
}

export const makeCase = (seed: number): Case => {
  const random = new Random(seed);
  return { world: makeWorld(random), question: question(random) };
};

/** The model of a world, with the measure that is asked for. */
export const modelOf = ({ world, question: { formula } }: Case): Model =>
  readModel(
    JSON.stringify({
      ...world.model,
      measures: [...(world.model.measures ?? []), { name: 'Asked', formula }],
    }),
  );

/** Rows of a world as the engine holds them. */
export const dataOf = (kase: Case, executor?: Executor): ModelData =>
  rowsOf({ ...kase.world, model: modelOf(kase) }, executor);

function rowsOf({ model, rows: all }: World, executor?: Executor): ModelData {
  const today = model.asOf === undefined ? 20_045 : (textReader(DATE)(model.asOf) as number);
  return new ModelData(
    model,
    (name) => {
      const table = model.tables.find((t) => t.name === name)!;
      const rows = all[name] ?? [];
      const columns = table.columns
        .filter((c) => c.formula === undefined)
        .map((c) => {
          const type = parseType(c.type) ?? TEXT;
          return columnOfValues(
            c.name,
            type,
            rows.map((row): Value => fromJson(row[c.name] ?? null, type) ?? null),
          );
        });
      return tableOf(name, columns, { rowCount: rows.length });
    },
    today,
    executor,
  );
}

/**
 * What each way answers: columns by the plain executor and by code made for the scan, SQL, and the reference;
 * or undefined where the formula or the query is not right.
 */
export function answers(
  kase: Case,
): { columns: unknown; compiled: unknown; sql: unknown; reference: unknown } | undefined {
  const data = dataOf(kase, 'plain');
  if (!data.checker.measure('Asked')!.typed) return undefined;
  const { query } = kase.question;
  if (
    (query.filters ?? []).some((f) => 'where' in f && !data.forQuery(query).checker.condition(f.where).typed)
  )
    return undefined;
  const paper = onPaper({ ...kase.world, model: data.model });
  const said = (answer: { rows: unknown; totals?: unknown }) => ({
    rows: answer.rows,
    ...(answer.totals ? { totals: answer.totals } : {}),
  });
  const caught = (make: () => unknown) => {
    try {
      return make();
    } catch (error) {
      if (error instanceof DataError) return { refused: error.message };
      return { failed: (error as Error).stack ?? String(error) };
    }
  };
  return {
    columns: caught(() => said(answerQuery(data, query))),
    compiled: caught(() => said(answerQuery(dataOf(kase, 'compiled'), query))),
    sql: caught(() => said(answerInSqlite(data, query))),
    reference: caught(() => said(new Reference(paper, rowsOf(paper).checker, data.today).answer(query))),
  };
}

/** Whether two answers are the same: doubles to nine digits, everything else exactly. */
export function isSame(a: unknown, b: unknown): boolean {
  if (typeof a === 'number' && typeof b === 'number')
    return a === b || Math.abs(a - b) <= 1e-9 * Math.max(Math.abs(a), Math.abs(b)) || Math.abs(a - b) < 1e-9;
  if (Array.isArray(a) && Array.isArray(b))
    return a.length === b.length && a.every((x, i) => isSame(x, b[i]));
  if (a !== null && b !== null && typeof a === 'object' && typeof b === 'object') {
    const keys = Object.keys(a);
    return (
      keys.length === Object.keys(b).length &&
      keys.every((key) => isSame((a as Record<string, unknown>)[key], (b as Record<string, unknown>)[key]))
    );
  }
  return a === b;
}

/** What differs, or undefined where all agree; null where the question is not right. */
export function difference(kase: Case): string | undefined | null {
  const found = answers(kase);
  if (!found) return null;
  const wrong = (['compiled', 'sql', 'reference'] as const).filter(
    (way) => !isSame(found.columns, found[way]),
  );
  return wrong.length === 0 ? undefined : `columns and ${wrong.join(' and ')} differ`;
}

/** Cuts a case down as long as it still differs: rows, filters, columns, and the formula to its parts. */
export function shrink(kase: Case): Case {
  let best = kase;
  const stillDiffers = (smaller: Case): boolean => {
    try {
      return typeof difference(smaller) === 'string';
    } catch {
      return false; // cut to what is no model any more
    }
  };
  for (let changed = true; changed;) {
    changed = false;
    for (const smaller of smallerOnes(best)) {
      if (!stillDiffers(smaller)) continue;
      best = smaller;
      changed = true;
      break;
    }
  }
  return best;
}

function* smallerOnes({ world, question: { formula, query } }: Case): Generator<Case> {
  const asking = (change: Partial<Question>): Case => ({ world, question: { formula, query, ...change } });
  for (const key of ['totals', 'empty', 'filters', 'by'] as const)
    if (query[key] !== undefined) yield asking({ query: { ...query, [key]: undefined } });
  for (const [i] of (query.by ?? []).entries())
    yield asking({ query: { ...query, by: query.by!.filter((_, j) => j !== i) } });
  for (const [i] of (query.filters ?? []).entries())
    yield asking({ query: { ...query, filters: query.filters!.filter((_, j) => j !== i) } });
  if (query.measures.length > 1) yield asking({ query: { ...query, measures: ['Asked'] } });
  for (const part of partsOf(formula)) yield asking({ formula: part });
  for (const [name, rows] of Object.entries(world.rows)) {
    for (let size = rows.length; size >= 1; size = size >> 1) {
      for (let from = 0; from < rows.length; from += size) {
        const left = rows.filter((_, i) => i < from || i >= from + size);
        yield { world: { ...world, rows: { ...world.rows, [name]: left } }, question: { formula, query } };
      }
    }
  }
}

/** Texts in parentheses, and the text without one of its context words. */
function partsOf(formula: string): string[] {
  const parts: string[] = [];
  const open: number[] = [];
  for (let i = 0; i < formula.length; i++) {
    if (formula[i] === '(') open.push(i);
    if (formula[i] === ')') parts.push(formula.slice(open.pop()! + 1, i));
  }
  const without = [
    ...formula.matchAll(
      / (where \([^()]*\)|ignoring [\w. ]+|given [\w.]+|over \([^()]*\)|at (first|last) [\w.]+( per [\w.]+)?|via \w+|filter \(where [^()]*\))/g,
    ),
  ].map((m) => formula.slice(0, m.index) + formula.slice(m.index + m[0].length));
  return [...parts, ...without].filter((part) => part.length < formula.length && part.trim() !== '');
}
