import { columnPath } from '../formula/index.ts';
import type { Model, Query } from '../model/index.ts';
import { questionOf, sameName, splitPath } from '../model/index.ts';
import type { Json, ModelData } from '../query/index.ts';
import { answerQuery, DataError, resolvePath } from '../query/index.ts';
import { diffModels } from './diff.ts';
import type { AnswerChange } from './impact.ts';
import { compareAnswers } from './impact.ts';

/** The total of a measure before and after a change; `fault` where it has none any more. */
export interface MeasureImpact {
  readonly name: string;
  readonly before: Json;
  readonly after: Json;
  readonly fault?: string;
}

/** A kept trial or a known answer that answers otherwise, or not at all. */
export interface QuestionImpact {
  readonly name: string;
  readonly change?: AnswerChange;
  readonly fault?: string;
}

/** What a change of the model does to its numbers, on the same rows. */
export interface ChangeImpact {
  readonly measures: readonly MeasureImpact[];
  readonly questions: readonly QuestionImpact[];
  /** Listings that cannot be had any more. */
  readonly listings: readonly { readonly name: string; readonly fault: string }[];
  /** How many of them are the same. */
  readonly same: { readonly measures: number; readonly questions: number };
  /** How many were not tried, since it would take too long. */
  readonly left: number;
}

/** Trying ends after so long. */
const MOST_MS = 5_000;

/**
 * What a change does to measures, kept trials, known answers and listings: each is asked before and after.
 * Measures that use nothing that changed are not asked. What could not be had before is no loss.
 */
export function impactOf(before: ModelData, after: ModelData, now: () => number = Date.now): ChangeImpact {
  const begun = now();
  let left = 0;
  const inTime = <T>(list: readonly T[]): T[] =>
    list.filter(() => {
      const is = now() - begun <= MOST_MS;
      if (!is) left++;
      return is;
    });
  const called = newNames(before.model, after.model);
  const touched = touchedMeasures(before, after, called);
  const measures = inTime(touched).flatMap((name): MeasureImpact[] => {
    const was = totalOf(before, name);
    if (was.fault !== undefined) return [];
    const is = totalOf(after, called(name));
    return was.value === is.value && is.fault === undefined
      ? []
      : [
          {
            name,
            before: was.value,
            after: is.value,
            ...(is.fault === undefined ? {} : { fault: is.fault }),
          },
        ];
  });
  const asked = inTime(questionsOf(before.model));
  const questions = asked.flatMap(({ name, query }): QuestionImpact[] => {
    const was = answerOf(before, query);
    if ('fault' in was) return [];
    const then = questionsOf(after.model).find((q) => sameName(q.name, name));
    if (!then) return [{ name, fault: 'it is removed' }];
    const is = answerOf(after, then.query);
    if ('fault' in is) return [{ name, fault: is.fault }];
    const change = compareAnswers(was.answer, is.answer);
    return change.differing > 0 ? [{ name, change }] : [];
  });
  return {
    measures,
    questions,
    listings: brokenListings(before, after),
    same: {
      measures: touched.length - measures.length,
      questions: asked.length - questions.length,
    },
    left,
  };
}

/** What a measure of before is called after. */
function newNames(before: Model, after: Model): (name: string) => string {
  const renamed = diffModels(before, after).filter((c) => c.kind === 'measure' && c.change === 'renamed');
  const found = new Map(renamed.map((c) => [String(c.was).toLowerCase(), String(c.now)]));
  return (name) => found.get(name.toLowerCase()) ?? name;
}

/** All measures where tables or the ways between them changed, else those that use a measure that did. */
function touchedMeasures(
  { model, checker }: ModelData,
  after: ModelData,
  called: (name: string) => string,
): string[] {
  const names = (model.measures ?? []).map((m) => m.name);
  const rest = ({ tables, relationships, hierarchies, calendars, asOf, corrections }: Model) =>
    JSON.stringify([tables, relationships, hierarchies, calendars, asOf, corrections]);
  if (rest(model) !== rest(after.model)) return names;
  const isOther = (name: string) => {
    const [was, is] = [checker.names.measure(name), after.checker.names.measure(called(name))];
    return was?.formula !== is?.formula || was?.via !== is?.via || was?.unreached !== is?.unreached;
  };
  const other = new Set(names.filter(isOther).map((name) => name.toLowerCase()));
  const uses = (name: string, seen: ReadonlySet<string>): boolean =>
    other.has(name.toLowerCase()) ||
    [...(checker.measure(name)?.measures ?? [])].some(
      (below) => !seen.has(below.toLowerCase()) && uses(below, new Set([...seen, below.toLowerCase()])),
    );
  return names.filter((name) => uses(name, new Set()));
}

const guarded = <T>(act: () => T): { value: T } | { fault: string } => {
  try {
    return { value: act() };
  } catch (error) {
    if (!(error instanceof DataError)) throw error;
    return { fault: error.message };
  }
};

function totalOf(data: ModelData, measure: string): { value: Json; fault?: string } {
  const found = guarded(() => answerQuery(data, { measures: [measure] }).rows[0]?.[0] as Json | undefined);
  return 'fault' in found ? { value: null, fault: found.fault } : { value: found.value ?? null };
}

function answerOf(data: ModelData, query: Query) {
  const found = guarded(() => answerQuery(data, query));
  return 'fault' in found ? found : { answer: found.value };
}

/** Kept trials, and known answers to questions of their own. */
const questionsOf = (model: Model): { name: string; query: Query }[] => [
  ...(model.trials ?? []).map(({ name, query }) => ({ name, query })),
  ...(model.knownAnswers ?? []).flatMap((known) => {
    const query = known.trial === undefined ? questionOf(model, known) : undefined;
    return query ? [{ name: `known answer ${known.name}`, query }] : [];
  }),
];

function brokenListings(before: ModelData, after: ModelData): { name: string; fault: string }[] {
  const faultOf = (data: ModelData, name: string): string | undefined => {
    const listing = (data.model.detailListings ?? []).find((l) => sameName(l.name, name));
    if (!listing) return 'it is removed';
    const missing = listing.columns
      .map((c) => (typeof c === 'string' ? c : c.column))
      .map((path) => (splitPath(path) ? path : columnPath(listing.table, path)))
      .map((path) => guarded(() => resolvePath(data, path)))
      .flatMap((found) => ('fault' in found ? [found.fault] : []));
    return missing[0];
  };
  return (before.model.detailListings ?? []).flatMap(({ name }) => {
    const [was, is] = [faultOf(before, name), faultOf(after, name)];
    return was === undefined && is !== undefined ? [{ name, fault: is }] : [];
  });
}
