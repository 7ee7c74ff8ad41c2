import type { Token } from '../../formula/index.ts';
import { parsePeriod, tokenize } from '../../formula/index.ts';
import type { PlainFilter } from '../../model/index.ts';
import { CLAUSE_WORDS } from './words.ts';

type MemberList = Extract<PlainFilter, { column: string }>['in'];
type PeriodFilter = Extract<PlainFilter, { period: string }>;

/** What people call a previous unit. */
const LAST_UNIT = /^last (day|week|month|quarter|year)$/;

/** The period that a condition is made of, as far as it is one: `last 12 months in lent_on`. */
export function periodOf(text: string): PeriodFilter | undefined {
  const tokens = tokenize(text).tokens.slice(0, -1);
  const at = tokens.findIndex((t) => t.kind === 'name' && t.text === 'in');
  const words = (at < 0 ? tokens : tokens.slice(0, at)).map((t) => t.text).join(' ');
  const period = words.replace(LAST_UNIT, 'previous $1');
  const read = parsePeriod(period);
  if (!read.period || read.faults.length > 0) return undefined;
  if (at < 0) return { period };
  const calendar = tokens.slice(at + 1);
  if (calendar.length === 0 || calendar.some((t) => t.kind === 'symbol' || CLAUSE_WORDS.has(t.text)))
    return undefined;
  const name = calendar.length === 1 ? calendar[0]! : undefined;
  return {
    period,
    calendar: name?.kind === 'quoted' ? name.text : text.slice(calendar[0]!.start, calendar.at(-1)!.end),
  };
}

/**
 * A column and the members that a condition takes, where it is of the form `table.column in (…)` or
 * `table.column = …`; undefined where it is not.
 */
export function memberListOf(
  source: string,
  tokens: readonly Token[],
): { column: readonly [string, string]; members: MemberList } | undefined {
  const isName = (t: Token | undefined): t is Token => t?.kind === 'name' || t?.kind === 'quoted';
  const path = pathAt(source, tokens);
  if (!path) return undefined;
  const [word, ...rest] = tokens.slice(path.length);
  if (word?.kind === 'symbol' && word.text === '=') {
    const member = memberOf(rest);
    return member === undefined || member === null ? undefined : { column: path.names, members: [member] };
  }
  if (!isName(word) || word.text !== 'in' || rest[0]?.text !== '(' || rest.at(-1)?.text !== ')')
    return undefined;
  const inner = rest.slice(1, -1);
  if (inner.length === 0) return { column: path.names, members: [] };
  const members: MemberList = [];
  let part: Token[] = [];
  for (const token of [...inner, undefined]) {
    if (token && !(token.kind === 'symbol' && token.text === ',')) {
      part.push(token);
      continue;
    }
    const member = memberOf(part);
    if (member === undefined) return undefined;
    members.push(member);
    part = [];
  }
  return { column: path.names, members };
}

/** `table.column` at the beginning; names of several words are taken as they are written. */
function pathAt(
  source: string,
  tokens: readonly Token[],
): { names: readonly [string, string]; length: number } | undefined {
  const dot = tokens.findIndex((t) => t.kind === 'symbol');
  if (dot < 1 || tokens[dot]!.text !== '.') return undefined;
  const end = tokens.findIndex(
    (t, i) => i > dot && (t.kind === 'symbol' || (t.kind === 'name' && t.text === 'in')),
  );
  if (end < dot + 2) return undefined;
  const first = nameOf(source, tokens.slice(0, dot));
  const second = nameOf(source, tokens.slice(dot + 1, end));
  return first === undefined || second === undefined ? undefined : { names: [first, second], length: end };
}

/** One quoted name, or plain words. */
export function nameOf(source: string, tokens: readonly Token[]): string | undefined {
  if (tokens.length === 0) return undefined;
  if (tokens.length === 1 && tokens[0]!.kind === 'quoted') return tokens[0]!.text;
  return tokens.every((t, i) => t.kind === 'name' || (i > 0 && t.kind === 'number'))
    ? source.slice(tokens[0]!.start, tokens.at(-1)!.end)
    : undefined;
}

/** A member as a condition writes it; undefined where it is none. */
function memberOf(tokens: readonly Token[]): MemberList[number] | undefined {
  const words = tokens.map((t) => t.text).join(' ');
  if (tokens.every((t) => t.kind === 'name')) {
    const known: Record<string, MemberList[number]> = {
      null: null,
      true: true,
      false: false,
      unmatched: { unmatched: true },
      'no reference': { null: true },
    };
    return Object.hasOwn(known, words) ? known[words] : undefined;
  }
  const [first, second] = tokens;
  if (tokens.length === 1 && first!.kind === 'text') return first!.text;
  if (tokens.length === 1 && first!.kind === 'number') return Number(first!.text);
  if (tokens.length === 2 && first!.text === '-' && second!.kind === 'number') return -Number(second!.text);
  return undefined;
}
