import type { Token } from '../../formula/index.ts';
import { tokenize } from '../../formula/index.ts';
import type { AskedItem, MeasureItem, NoMember, Query, QueryFilter, TopFilter } from '../../model/index.ts';
import { splitPath } from '../../model/index.ts';
import { clausesOf, conditionsOf, isWrapped } from './clauses.ts';
import { memberListOf, periodOf } from './condition.ts';
import { ADDED, CLAUSE_WORDS, COLUMN_AGGREGATES } from './words.ts';

/** A question as it is written in words; read back by `readSentence` it is the same question. */
export function writeSentence(query: Query): string {
  const filters = query.filters ?? [];
  const conditions = filters.flatMap((f) => ('having' in f || 'top' in f ? [] : [conditionText(f)]));
  const having = filters.flatMap((f) => ('having' in f ? [formulaCondition(f.having)] : []));
  const clause = (word: string, parts: readonly string[], between = ', ') =>
    parts.length === 0 ? [] : [`${word} ${parts.join(between)}`];
  return [
    `show ${query.measures.map(measureWords).join(', ')}`.trim(),
    ...clause('by', (query.by ?? []).map(itemWords)),
    ...clause('across', (query.across ?? []).map(itemWords)),
    ...clause('where', conditions, ' and '),
    ...clause('having', having, ' and '),
    ...filters.flatMap((f) => ('top' in f ? [topWords(f)] : [])),
    ...clause(
      'sorted by',
      (query.sort ?? []).map(
        ({ of, order }) =>
          `${typeof of === 'string' ? sortName(of) : itemWords(of)}${order === undefined ? '' : ` ${order}`}`,
      ),
    ),
    ...(query.limit === undefined ? [] : [`limit ${query.limit}`]),
    ...(query.asOf === undefined ? [] : [`as of ${query.asOf}`]),
    ...clause(
      'with',
      Object.entries(ADDED).flatMap(([words, set]) =>
        Object.entries(set).every(([key, value]) => query[key as keyof Query] === value) ? [words] : [],
      ),
    ),
  ].join(' ');
}

const inQuotes = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** A name as a question writes it: plainly where its words cannot be taken for anything else. */
export function plainName(name: string): string {
  const { tokens, faults } = tokenize(name);
  const words = tokens.slice(0, -1);
  const isPlain =
    faults.length === 0 &&
    words.length > 0 &&
    words.every((t, i) =>
      i > 0 && t.kind === 'number' ? true : t.kind === 'name' && !CLAUSE_WORDS.has(t.text),
    ) &&
    !(COLUMN_AGGREGATES as readonly string[]).includes(words[0]!.text) &&
    words.map((t) => t.source).join(' ') === name;
  return isPlain ? name : inQuotes(name);
}

/** A path of two names, each in quotes where it must be; what is no path is left as it is. */
function pathWords(path: string): string {
  const parts = splitPath(path);
  return parts ? parts.map(plainName).join('.') : path;
}

export function itemWords(item: AskedItem): string {
  if (typeof item === 'string') return pathWords(item);
  if ('formula' in item) return `(${item.formula}) of ${plainName(item.of)} as ${plainName(item.name)}`;
  return 'level' in item
    ? `${pathWords(item.hierarchy)} level ${plainName(item.level)}`
    : `${pathWords(item.hierarchy)} depth ${item.depth}`;
}

/** What one sorts by is a measure, a path, or the name of something on the spot. */
const sortName = (of: string): string => (splitPath(of) ? pathWords(of) : plainName(of));

function measureWords(item: MeasureItem): string {
  if (typeof item === 'string') return plainName(item);
  if ('formula' in item) return `(${item.formula}) as ${plainName(item.name)}`;
  return `${item.aggregate === undefined ? '' : `${item.aggregate} `}${pathWords(item.column)}`;
}

function topWords({ top, of, per, order, others }: TopFilter): string {
  return [
    `top ${top} by ${plainName(of)}`,
    ...(per && per.length > 0 ? [`per ${per.map(itemWords).join(', ')}`] : []),
    ...(order === undefined ? [] : [order === 'ascending' ? 'smallest first' : 'largest first']),
    ...(others ? ['and all others'] : []),
  ].join(' ');
}

type Condition = Exclude<QueryFilter, TopFilter | { having: string }>;

function conditionText(filter: Condition): string {
  if ('where' in filter) return formulaCondition(filter.where);
  if ('period' in filter)
    return filter.calendar === undefined
      ? filter.period
      : `${filter.period} in ${plainName(filter.calendar)}`;
  return `${pathWords(filter.column)} in (${filter.in.map(memberWords).join(', ')})`;
}

function memberWords(member: string | number | boolean | null | NoMember): string {
  if (member === null) return 'null';
  if (typeof member === 'object') return 'null' in member ? 'no reference' : 'unmatched';
  return typeof member === 'string' ? `'${member.replaceAll("'", "''")}'` : String(member);
}

/** A formula as a condition; in parentheses where it would be read as several, or as something else. */
function formulaCondition(formula: string): string {
  const { tokens: all, comments } = tokenize(formula);
  const tokens: Token[] = all.slice(0, -1);
  const cut = clausesOf(`where ${formula}`).parts;
  const isOne =
    comments.length === 0 &&
    formula.trim() === formula &&
    conditionsOf(tokens).length === 1 &&
    !tokens.some((t) => t.kind === 'name' && t.text === 'or') &&
    !isWrapped(tokens) &&
    cut.length === 1 &&
    periodOf(formula) === undefined &&
    memberListOf(formula, tokens) === undefined;
  // A comment to the end of the line would take the closing parenthesis along.
  return isOne ? formula : `(${formula}${formula.includes('--') ? '\n' : ''})`;
}
