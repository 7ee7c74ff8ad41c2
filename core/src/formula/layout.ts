import type { Token } from './lexer.ts';
import { RESERVED, tokenize } from './lexer.ts';
import { AGGREGATES } from './tree.ts';
import { functionNamed } from './functions/index.ts';

/** Longer formulas are broken before the parts of `case` and `with`. */
const LINE_LENGTH = 100;
const CONTEXTUAL = new Set(
  'everything all reaching last first to date whole previous next same period back fiscal day days week weeks month months quarter quarters year years'.split(
    ' ',
  ),
);

type Piece = { kind: 'token'; token: Token; text: string } | { kind: 'comment'; text: string; line: boolean };

/**
 * Canonical layout: keywords and functions in lower case, one blank between words and around operators,
 * comments kept. It changes blanks and the case of keywords only, so the meaning stays; laying out twice
 * changes nothing more. A formula that cannot be cut into tokens is given back as it is.
 */
export function layOutFormula(source: string): string {
  const { tokens, comments, faults } = tokenize(source);
  if (faults.length > 0) return source.trim();
  const pieces: (Piece & { start: number })[] = [
    ...tokens
      .filter((t) => t.kind !== 'end')
      .map((token, i) => ({ kind: 'token' as const, token, text: written(tokens, i), start: token.start })),
    ...comments.map((c) => ({
      kind: 'comment' as const,
      text: c.text.trimEnd(),
      line: c.text.startsWith('--'),
      start: c.start,
    })),
  ].sort((a, b) => a.start - b.start);
  const flat = join(pieces, false);
  return flat.length > LINE_LENGTH ? join(pieces, true) : flat;
}

/**
 * A token as it is written: keywords, functions and period words in lower case, everything else untouched.
 */
function written(tokens: readonly Token[], i: number): string {
  const token = tokens[i]!;
  if (token.kind !== 'name') return token.kind === 'symbol' ? token.text : token.source;
  const [before, after] = [tokens[i - 1], tokens[i + 1]];
  if (before?.text === '.' && before.kind === 'symbol') return token.source;
  if (RESERVED.has(token.text)) return token.text;
  const called = after?.kind === 'symbol' && after.text === '(';
  if (called && (functionNamed(token.text) || (AGGREGATES as readonly string[]).includes(token.text)))
    return token.text;
  if ((token.text === 'date' || token.text === 'timestamp') && after?.kind === 'text') return token.text;
  return CONTEXTUAL.has(token.text) && inWords(tokens, i) ? token.text : token.source;
}

/** Whether a word that is no keyword of SQL stands where a context word or a period gives it a meaning. */
function inWords(tokens: readonly Token[], i: number): boolean {
  const before = tokens[i - 1]?.text;
  if (before === 'ignoring' || before === 'at' || (before === 'all' && tokens[i - 2]?.text === 'ignoring'))
    return true;
  let j = i;
  while (j >= 0 && tokens[j]!.text !== '(') j--;
  return j > 0 && tokens[j - 1]!.text === 'over';
}

const BREAK_BEFORE = new Set(['when', 'else', 'end', 'select']);

function join(pieces: readonly Piece[], broken: boolean): string {
  let text = '';
  let cases = 0;
  let startOfLine = true;
  const newLine = (depth: number) => {
    text = `${text.trimEnd()}\n${'  '.repeat(depth)}`;
    startOfLine = true;
  };
  pieces.forEach((piece, i) => {
    const before = pieces[i - 1];
    if (piece.kind === 'token' && piece.token.kind === 'name') {
      if (piece.text === 'end' && cases > 0) cases--;
      if (broken && BREAK_BEFORE.has(piece.text) && text !== '')
        newLine(piece.text === 'select' ? 0 : piece.text === 'end' ? cases : Math.max(1, cases));
      if (piece.text === 'case') cases++;
    }
    if (!startOfLine && before && needsBlank(before, piece, pieces[i - 2])) text += ' ';
    text += piece.text;
    startOfLine = false;
    if (piece.kind === 'comment' && piece.line && i < pieces.length - 1) newLine(cases);
  });
  return text.trim();
}

function needsBlank(before: Piece, piece: Piece, earlier: Piece | undefined): boolean {
  if (before.kind === 'comment' || piece.kind === 'comment') return true;
  const [a, b] = [before.text, piece.text];
  const symbolA = before.token.kind === 'symbol';
  const symbolB = piece.token.kind === 'symbol';
  if (symbolB && (b === ',' || b === ')' || b === '.')) return false;
  if (symbolA && (a === '(' || a === '.')) return false;
  if (symbolA && (a === '-' || a === '+') && isSign(earlier)) return false;
  if (symbolB && b === '(') {
    if (symbolA) return true;
    // Functions stand close to their parenthesis; keywords such as in, filter and as do not.
    return before.token.kind !== 'name' || (RESERVED.has(before.token.text) && before.token.text !== 'cast');
  }
  return true;
}

/** Whether a + or - after this piece is a sign, not an operator. */
function isSign(earlier: Piece | undefined): boolean {
  if (!earlier || earlier.kind === 'comment') return true;
  if (earlier.token.kind === 'symbol') return earlier.text !== ')';
  return (
    earlier.token.kind === 'name' &&
    RESERVED.has(earlier.token.text) &&
    !['end', 'true', 'false', 'null'].includes(earlier.token.text)
  );
}
