import type { QueryState } from '@crease/contract';
import type { About, JudgedClaim } from '@crease/core/claims';
import type { FormulaChecker } from '@crease/core/formula';
import type { Query } from '@crease/core/model';
import { sameName, splitPath } from '@crease/core/model';
import { hopsOf } from '@crease/core/relate';
import { isNumeric } from '../../parts/format.ts';
import { count, many } from '../../parts/text.ts';

/** Something that a reader of an answer should know before believing it. */
export interface Surprise {
  readonly text: string;
  /** The broken claim that tells it, with its rows and remedies. */
  readonly claim?: JudgedClaim;
}

/** What is odd about an answer: broken claims on what it asks for, repeated totals, equal labels. */
export function surprisesOf(
  answer: QueryState,
  query: Query,
  checker: FormulaChecker,
  claims: readonly JudgedClaim[],
): Surprise[] {
  return [
    ...repeats(answer),
    ...unmatched(answer),
    ...equalLabels(answer),
    ...brokenOn(query, checker, claims),
  ];
}

const placesOfMeasures = ({ columns }: QueryState): number[] =>
  columns.flatMap((c, i) => (c.kind === 'measure' ? [i] : []));

/** Measures whose rows all have the value of the total. */
function repeats(answer: QueryState): Surprise[] {
  const first = answer.columns.findIndex((c) => c.kind === 'measure');
  if (answer.rows.length < 2 || !answer.totals || first <= 0) return [];
  return placesOfMeasures(answer).flatMap((place): Surprise[] => {
    const total = answer.totals![place - first];
    const { name, type } = answer.columns[place]!;
    if (total === null || total === undefined || Number(total) === 0 || !isNumeric(type)) return [];
    if (answer.unreached.some(([measure]) => measure === name)) return [];
    return answer.rows.every((row) => row[place] === total)
      ? [
          {
            text: `Each row of ${name} is the total: look whether ${answer.columns[0]!.name} filters its rows`,
          },
        ]
      : [];
  });
}

const isUnmatched = (member: unknown): boolean =>
  member !== null && typeof member === 'object' && 'unmatched' in member;

/** Members that are not there; of a count, where they are one row, how much of it lies with them. */
function unmatched(answer: QueryState): Surprise[] {
  const rows = answer.rows.filter((row) => row.some(isUnmatched));
  const [row] = rows;
  if (!row) return [];
  const of = answer.columns[row.findIndex(isUnmatched)]!.name;
  const place = placesOfMeasures(answer).find(
    (p) => answer.columns[p]!.type === 'integer' && row[p] !== null,
  );
  return rows.length === 1 && place !== undefined
    ? [
        {
          text: `${answer.columns[place]!.name}: ${count(Number(row[place]))} lie with rows that refer to a ${of} which is not there`,
        },
      ]
    : [{ text: `There are rows that refer to a ${of} which is not there` }];
}

/** Labels that stand for several members, which the answer keeps apart. */
function equalLabels({ keys, rows, columns }: QueryState): Surprise[] {
  const found = columns.flatMap((column, place): Surprise[] => {
    const labels = new Set<unknown>();
    (keys ?? []).forEach((key, i) => {
      if (key[place]) labels.add(rows[i]![place]);
    });
    if (labels.size === 0) return [];
    const [one] = labels;
    return [
      {
        text: `${many(labels.size, 'label')} of ${column.name} stand for several members each, such as ${String(one)}; they are kept apart`,
      },
    ];
  });
  return found;
}

/** Broken claims about the measures, the attributes and the relationships between them. */
function brokenOn(query: Query, checker: FormulaChecker, claims: readonly JudgedClaim[]): Surprise[] {
  const measures = query.measures.filter((m): m is string => typeof m === 'string');
  const items = [...(query.by ?? []), ...(query.across ?? [])];
  const paths = items.filter((item): item is string => typeof item === 'string');
  const hierarchies = items.flatMap((item) =>
    typeof item === 'object' && 'hierarchy' in item ? [item.hierarchy] : [],
  );
  const tables = [...paths, ...hierarchies].flatMap((path) => splitPath(path)?.[0] ?? []);
  const relationships = new Set(
    measures.flatMap((measure) => waysTo(checker, measure, tables)).map((name) => name.toLowerCase()),
  );
  const isOne = (list: readonly string[], name: string | undefined) =>
    name !== undefined && list.some((one) => sameName(one, name));
  const isAsked = ({ measure, table, column, relationship }: About): boolean =>
    (isOne(measures, measure) && table === undefined) ||
    (column !== undefined && isOne(paths, `${table}.${column}`)) ||
    (relationship !== undefined && relationships.has(relationship.toLowerCase()));
  const concerns = ({ about, subject }: JudgedClaim): boolean => {
    // What a perspective shows is no matter of the numbers.
    if (about.some(({ perspective }) => perspective !== undefined)) return false;
    const isOfHierarchy = (path: string) => subject.toLowerCase().startsWith(path.toLowerCase());
    return about.some(isAsked) || hierarchies.some(isOfHierarchy);
  };
  return claims
    .filter((claim) => claim.verdict === 'broken' && concerns(claim))
    .map((claim) => ({ text: claim.found ?? claim.says, claim }));
}

/** Relationships on the ways from the rows of a measure to some tables. */
function waysTo(checker: FormulaChecker, measure: string, tables: readonly string[]): string[] {
  const typed = checker.measure(measure)?.typed;
  if (!typed) return [];
  const via = checker.names.measure(measure)?.via;
  return [...checker.basesOf(typed)].flatMap((base) =>
    tables.flatMap((table) => {
      const route = checker.reach.route(base, table, via === undefined ? [] : [via.toLowerCase()]);
      return route && route.kind !== 'ambiguous' ? hopsOf(route).map((r) => r.name) : [];
    }),
  );
}
