import { DATE, formatType, textReader } from '../values/index.ts';
import type { Model, Query } from '../model/index.ts';
import { FormulaChecker, mentionsRole, roledChecker } from '../formula/index.ts';
import type { AnswerColumn, Extras, PlainAsked } from '../query/index.ts';
import { plainQuery } from '../query/index.ts';
import type { CompiledAnswer, SqlSetting } from './compiled.ts';
import type { SqlDialect } from './dialect.ts';
import { QueryCompiler } from './queryStatement.ts';

/**
 * Compiles a query, and its totals. `exact` leaves values in canonical form, for a program to read; else they
 * are as people read them. `extras` is told beside the answer, as `answerQuery` has it.
 */
export function compileQuery(
  asked: SqlSetting,
  query: Query,
  dialect: SqlDialect,
  exact = false,
  extras: Extras = {},
): CompiledAnswer {
  const plain = plainQuery(asked, query);
  const { limit, ...unlimited } = plain.query;
  const whole = { ...plain, query: plain.acrossCount > 0 ? unlimited : plain.query };
  const onTheSpot = spotSetting(asked, plain.model);
  const setting = mentionsRole(onTheSpot.model, plain.query) ? roledSetting(onTheSpot) : onTheSpot;
  const compile = (told: Extras) => new QueryCompiler(setting, dialect, exact, told);
  const { rows, unreached } = compile(extras).rows(whole);
  const goals = plain.query.measures.map((name) => setting.checker.names.measure(name)?.goal);
  const hasGoals = extras.goals === true && goals.some((goal) => goal !== undefined);
  // States of totals are told with them.
  const totals = query.totals || hasGoals ? compile(extras).totals(plain.query) : undefined;
  return {
    rows,
    ...(totals ? { totals } : {}),
    ...(hasGoals ? { goals, tellsTotals: query.totals === true } : {}),
    ...(query.subtotals
      ? {
          subtotals: prefixes(plain).map((p) => ({
            ...p,
            query: compile({ keys: extras.keys }).subtotals({ ...plain, query: unlimited }, p.by, p.across),
          })),
        }
      : {}),
    byCount: plain.byCount,
    ...(plain.acrossCount > 0 && limit !== undefined ? { limit } : {}),
    unreached,
  };
}

/** Every pair of a prefix of `by` and a prefix of `across`, but for the full pair and the empty one. */
function prefixes({ byCount, acrossCount }: PlainAsked): { by: number; across: number }[] {
  const found: { by: number; across: number }[] = [];
  for (let by = 0; by <= byCount; by++)
    for (let across = 0; across <= acrossCount; across++)
      if (by + across > 0 && !(by === byCount && across === acrossCount)) found.push({ by, across });
  return found;
}

/** The setting of a model with parts on the spot, or another as-of day. */
export function spotSetting(asked: SqlSetting, model: Model): SqlSetting {
  if (model === asked.model) return asked;
  const today = model.asOf === asked.model.asOf ? asked.today : (textReader(DATE)(model.asOf!) as number);
  return { ...asked, model, checker: new FormulaChecker(model, asked.checker.oracle), today };
}

export function roledSetting(setting: SqlSetting): SqlSetting {
  const checker = roledChecker(setting.checker);
  return { ...setting, model: checker.model, checker };
}

/** Columns of the answer: those that say how members are met, or which is the rest, belong to the members. */
export const answerColumns = ({ rows, byCount }: CompiledAnswer): AnswerColumn[] =>
  rows.columns
    .slice(0, rows.columns.length - rows.beside - rows.meetings - (rows.others ? 1 : 0))
    .map(({ name, type }, i) => ({
      name,
      type: formatType(type),
      kind: i >= rows.members ? 'measure' : i < byCount ? 'by' : 'across',
    }));
