import type { FormulaFault, Span } from './source.ts';

export type Token = Span & {
  readonly kind: 'name' | 'quoted' | 'text' | 'number' | 'symbol' | 'end';
  /** Names in lower case, quoted names and texts without their quotes, numbers and symbols as written. */
  readonly text: string;
  /** As written. */
  readonly source: string;
};

export interface Comment extends Span {
  readonly text: string;
}

const SYMBOLS = ['<>', '<=', '>=', '||', '!=', '(', ')', ',', '.', '=', '<', '>', '+', '-', '*', '/', '%'];
const SPACE = /\s/;
const NAME_START = /[\p{L}_]/u;
const NAME_PART = /[\p{L}\p{N}_$]/u;
const NUMBER = /(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?/y;

/** Words that must stand in double quotes when they are used as names. */
export const RESERVED = new Set(
  'or and not is null distinct from in between like case when then else end cast as true false filter where with select by ignoring given via over at per'.split(
    ' ',
  ),
);

/**
 * Cuts a formula into tokens; comments are kept apart, faults collected. The last token is always of kind
 * `end`.
 */
export function tokenize(source: string): { tokens: Token[]; comments: Comment[]; faults: FormulaFault[] } {
  const tokens: Token[] = [];
  const comments: Comment[] = [];
  const faults: FormulaFault[] = [];
  let at = 0;
  const push = (kind: Token['kind'], start: number, text: string) =>
    tokens.push({ kind, start, end: at, text, source: source.slice(start, at) });
  const quotedBy = (quote: string, kind: 'quoted' | 'text') => {
    const start = at++;
    let text = '';
    for (;;) {
      const close = source.indexOf(quote, at);
      if (close < 0) {
        text += source.slice(at);
        at = source.length;
        faults.push({
          start,
          end: at,
          message:
            kind === 'text'
              ? "a text is not closed: a ' is missing"
              : 'a quoted name is not closed: a " is missing',
        });
        break;
      }
      text += source.slice(at, close);
      at = close + 1;
      if (source[at] !== quote) break;
      text += quote;
      at++;
    }
    push(kind, start, text);
  };
  while (at < source.length) {
    const c = source[at]!;
    const start = at;
    if (SPACE.test(c)) at++;
    else if (source.startsWith('--', at)) {
      const end = source.indexOf('\n', at);
      at = end < 0 ? source.length : end;
      comments.push({ start, end: at, text: source.slice(start, at) });
    } else if (source.startsWith('/*', at)) {
      const end = source.indexOf('*/', at + 2);
      at = end < 0 ? source.length : end + 2;
      if (end < 0) faults.push({ start, end: at, message: 'a comment is not closed: a */ is missing' });
      comments.push({ start, end: at, text: source.slice(start, at) });
    } else if (c === '"') quotedBy('"', 'quoted');
    else if (c === "'") quotedBy("'", 'text');
    else if (/\d/.test(c) || (c === '.' && /\d/.test(source[at + 1] ?? '') && tokens.at(-1)?.end !== at)) {
      NUMBER.lastIndex = at;
      at += NUMBER.exec(source)![0].length;
      push('number', start, source.slice(start, at));
    } else if (NAME_START.test(String.fromCodePoint(source.codePointAt(at)!))) {
      while (at < source.length) {
        const character = String.fromCodePoint(source.codePointAt(at)!);
        if (!NAME_PART.test(character)) break;
        at += character.length;
      }
      push('name', start, source.slice(start, at).toLowerCase());
    } else {
      const symbol = SYMBOLS.find((s) => source.startsWith(s, at));
      at += symbol?.length ?? 1;
      if (symbol) push('symbol', start, symbol === '!=' ? '<>' : symbol);
      else faults.push({ start, end: at, message: `the character ${c} has no meaning here` });
    }
  }
  push('end', at, '');
  return { tokens, comments, faults };
}

/** A name as a formula must write it: in quotes where it is reserved or not a plain name. */
export function quoteName(name: string): string {
  return /^[\p{L}_][\p{L}\p{N}_$]*$/u.test(name) && name === name.toLowerCase() && !RESERVED.has(name)
    ? name
    : `"${name.replaceAll('"', '""')}"`;
}

/** `table.column` as a formula must write it. */
export const quotePath = (table: string, column: string): string =>
  `${quoteName(table)}.${quoteName(column)}`;

/**
 * `table.column` as queries, hierarchies and perspectives write it: plainly, with quotes only where a name
 * holds a dot or a quote.
 */
export const columnPath = (table: string, column: string): string =>
  /[."]/.test(table + column)
    ? [table, column].map((name) => `"${name.replaceAll('"', '""')}"`).join('.')
    : `${table}.${column}`;
