import type { BothWays } from '@crease/contract';
import type { Model, Query, Table } from '@crease/core/model';
import { connectionOf, readModel, writeModel } from '@crease/core/model';
import { answerDifference } from '@crease/core/query';
import type { Answer } from '@crease/core/query';
import { ServerError } from '../errors.ts';
import type { ModelVersion } from '../store/index.ts';
import { sourceKey } from '../store/index.ts';
import type { Pool } from '../tasks/pool.ts';
import { WorkFault } from '../threads/workFault.ts';
import type { PassedTables } from './passedTables.ts';

/** The most questions that are asked both ways. */
const MOST_QUESTIONS = 12;

/**
 * Asks kept trials, then totals of measures, of rows that are held and of the database that they come from:
 * each twice, the second time counts, as while one works. What needs rows that are not here is passed over.
 * Throws ServerError where no table has rows in both places.
 */
export async function askBothWays(
  version: ModelVersion,
  { pool, passed }: { readonly pool: Pool; readonly passed: PassedTables },
  signal: AbortSignal,
): Promise<BothWays> {
  const model = readModel(version.document);
  const both = model.tables.filter(
    (t) => connectionOf(t) !== undefined && version.versions[sourceKey(t)] !== undefined,
  );
  if (both.length === 0)
    throw new ServerError(
      'cannot-answer',
      'no table has its rows here as well as in a database: hold one that is passed through, and load it',
    );
  const isBoth = (table: Table) => both.includes(table);
  const as = (held: boolean): ModelVersion => ({
    ...version,
    // A number of its own: what is kept of the revision itself is of other tables.
    revision: held ? -2 * version.revision : -2 * version.revision - 1,
    document: writeModel({
      ...model,
      tables: model.tables.map((t) => (isBoth(t) ? { ...t, held } : t)),
    }),
  });
  const [here, there] = [as(true), as(false)];
  const questions: BothWays['questions'] = [];
  for (const { name, query } of questionsOf(model)) {
    if (questions.length === MOST_QUESTIONS) break;
    const held = await heldOnly(() =>
      secondOf(() => pool.run('query', { query, texts: 'code points', ...here }, signal)),
    );
    if (!held) continue;
    const asked = await passed.ask(there, (on) => secondOf(() => on.answer(query)), signal);
    const note = answerDifference(held.answer, asked.answer);
    questions.push({
      name,
      heldMs: held.milliseconds,
      passedMs: asked.milliseconds,
      agrees: note === undefined,
      ...(note === undefined ? {} : { note }),
    });
  }
  return { tables: both.map((t) => t.name), questions };
}

function questionsOf(model: Model): { name: string; query: Query }[] {
  const trials = (model.trials ?? []).map(({ name, query }) => ({ name, query }));
  const measures = (model.measures ?? []).map(({ name }) => ({ name, query: { measures: [name] } }));
  return [...trials, ...measures];
}

/** What rows that are held answer by themselves; undefined where they need others. */
async function heldOnly<T>(ask: () => Promise<T>): Promise<T | undefined> {
  try {
    return await ask();
  } catch (error) {
    if (error instanceof WorkFault && (error.fault === 'passed-through' || error.fault === 'data'))
      return undefined;
    throw error;
  }
}

async function secondOf(ask: () => Promise<Answer>): Promise<{ answer: Answer; milliseconds: number }> {
  await ask();
  const start = performance.now();
  const answer = await ask();
  return { answer, milliseconds: Math.round((performance.now() - start) * 10) / 10 };
}
