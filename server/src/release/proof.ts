import type { Query } from '@crease/core/model';
import { questionOf } from '@crease/core/model';
import type { Answer, ModelData } from '@crease/core/query';
import { answerDifference, answerQuery, DataError } from '@crease/core/query';
import { drawnQueries } from '@crease/core/release';
import type { TableContents } from './contents.ts';
import { sameSum } from './contents.ts';
import type { Proof } from './plan.ts';

/** Questions that are drawn, and how long they are asked at most: large tables take a while in SQL. */
const DRAWN = 200;
const MOST_MS = 30_000;
const SEED = 20_260;

/** What a target says of a table. */
export interface TableState {
  readonly rows: number;
  readonly sums: Readonly<Record<string, string | null>>;
}

/** Compares rows and sums of a table; gives what differs. */
export function compareTable(contents: TableContents, at: TableState): string[] {
  const { table, columns, rowCount, sums } = contents;
  if (at.rows !== rowCount) return [`${table.name} has ${at.rows} rows there and ${rowCount} here`];
  return columns.flatMap((column) => {
    if (!(column.name in sums)) return [];
    const [here, there] = [sums[column.name] ?? null, at.sums[column.name] ?? null];
    return sameSum(here, there, column)
      ? []
      : [`${table.name}.${column.name} adds up to ${there ?? 'null'} there and ${here ?? 'null'} here`];
  });
}

/**
 * Asks known answers, kept trials and drawn questions at the target and here, and compares. `ask` answers at
 * the target; DataError where it cannot.
 */
export async function askBoth(
  data: ModelData,
  ask: (query: Query) => Answer | Promise<Answer>,
): Promise<Pick<Proof, 'questions' | 'differences' | 'notes'>> {
  const { model } = data;
  const kept = (model.trials ?? []).map((t) => ({ what: `trial ${t.name}`, query: t.query }));
  const known = (model.knownAnswers ?? []).flatMap((k) => {
    const query = k.trial === undefined ? questionOf(model, k) : undefined;
    return query ? [{ what: `known answer ${k.name}`, query }] : [];
  });
  const drawn = drawnQueries(data, DRAWN, SEED).map((query) => ({ what: 'question', query }));
  const differences: string[] = [];
  let [questions, unasked, unanswered] = [0, 0, 0];
  const begun = performance.now();
  for (const [i, { what, query }] of [...kept, ...known, ...drawn].entries()) {
    if (i >= kept.length + known.length && performance.now() - begun > MOST_MS) {
      unasked = drawn.length - (i - kept.length - known.length);
      break;
    }
    const outcome = await compared(data, query, ask);
    if (outcome === undefined) unanswered++;
    else questions++;
    if (outcome) differences.push(`${what} ${JSON.stringify(query)}: ${outcome}`);
  }
  return {
    questions,
    differences,
    notes: [
      ...(unasked > 0 ? [`${unasked} drawn questions were not asked, for time`] : []),
      ...(unanswered > 0 ? [`${unanswered} questions have no answer in SQL, and were not compared`] : []),
    ],
  };
}

/** What differs; empty where nothing does, undefined where one side cannot answer. */
async function compared(
  data: ModelData,
  query: Query,
  ask: (query: Query) => Answer | Promise<Answer>,
): Promise<string | undefined> {
  try {
    return answerDifference(answerQuery(data, query), await ask(query)) ?? '';
  } catch (error) {
    if (error instanceof DataError) return undefined;
    throw error;
  }
}
