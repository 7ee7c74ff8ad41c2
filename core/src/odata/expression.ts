import { notOffered, wrong } from './odataError.ts';

/** What a literal is. */
export type LiteralKind = 'null' | 'boolean' | 'integer' | 'number' | 'text' | 'date' | 'timestamp';

/** An expression of $filter. */
export type Expression =
  /** `text` is the value: of a text without its quotes. */
  | { readonly kind: 'literal'; readonly type: LiteralKind; readonly text: string }
  | { readonly kind: 'property'; readonly name: string }
  | { readonly kind: 'unary'; readonly operator: 'not' | '-'; readonly operand: Expression }
  | {
      readonly kind: 'binary';
      readonly operator: BinaryOperator;
      readonly left: Expression;
      readonly right: Expression;
    }
  | { readonly kind: 'in'; readonly operand: Expression; readonly list: readonly Expression[] }
  | { readonly kind: 'call'; readonly name: string; readonly args: readonly Expression[] };

/** Binary operators by how tightly they bind, the loosest first (URL Conventions 4.01, 5.1.1.16). */
const LADDER = [
  ['or'],
  ['and'],
  ['eq', 'ne'],
  ['gt', 'ge', 'lt', 'le'],
  ['add', 'sub'],
  ['mul', 'div', 'divby', 'mod'],
] as const;
export type BinaryOperator = (typeof LADDER)[number][number];

const DEEPEST = 100;

interface Token {
  readonly kind: 'name' | 'sign' | 'end' | Exclude<LiteralKind, 'null' | 'boolean'>;
  readonly text: string;
  /** From 0. */
  readonly at: number;
}

const PATTERNS: readonly (readonly [Token['kind'], RegExp])[] = [
  ['timestamp', /^\d{4}-\d\d-\d\dT\d\d:\d\d(?::\d\d(?:\.\d{1,12})?)?(?:Z|[+-]\d\d:\d\d)/i],
  ['date', /^\d{4}-\d\d-\d\d(?![\d-])/],
  ['number', /^\d+(?:\.\d+(?:e[+-]?\d+)?|e[+-]?\d+)/i],
  ['integer', /^\d+/],
  ['text', /^'(?:[^']|'')*'/],
  ['name', /^[\p{L}_$@][\p{L}\p{N}_.$@]*/u],
  ['sign', /^[(),/*:;=-]/],
];

/** Reads what stands in a system query option: expressions, and the lists and calls around them. */
export class ODataReader {
  private readonly tokens: readonly Token[];
  private next = 0;
  private depth = 0;

  /** Throws ODataError for a sign that begins nothing. */
  constructor(
    private readonly source: string,
    /** Such as `$filter`: faults name it. */
    private readonly option: string,
  ) {
    this.tokens = this.cut();
  }

  expression(): Expression {
    if (++this.depth > DEEPEST) throw wrong(`${this.option} is nested more than ${DEEPEST} deep`);
    const found = this.level(0);
    this.depth--;
    return found;
  }

  /** A property, plainly: paths lead nowhere, since entities are not joined. */
  property(): string {
    const { kind, text } = this.peek();
    if (kind !== 'name') throw this.fault('a property is missing');
    if (text.startsWith('$') || text.startsWith('@')) throw notOffered(text);
    this.next++;
    return text;
  }

  /** A word that is no property, where it comes next. */
  takes(word: string): boolean {
    const { kind, text } = this.peek();
    const isIt = (kind === 'name' || kind === 'sign') && text.toLowerCase() === word;
    if (isIt) this.next++;
    return isIt;
  }

  needs(word: string): void {
    if (!this.takes(word)) throw this.fault(`"${word}" is missing`);
  }

  /** The word that comes next, without taking it. */
  word(): string {
    const { kind, text } = this.peek();
    return kind === 'name' || kind === 'sign' ? text : '';
  }

  wholeNumber(): number {
    const { kind, text } = this.peek();
    if (kind !== 'integer') throw this.fault('a whole number is missing');
    this.next++;
    return Number(text);
  }

  /** Parts between commas, at least one. */
  list<T>(part: () => T): T[] {
    const found = [part()];
    while (this.takes(',')) found.push(part());
    return found;
  }

  /** Throws ODataError where something is left over. */
  end(): void {
    if (this.peek().kind !== 'end') throw this.fault('it should end');
  }

  fault(message: string): Error {
    const { at, kind, text } = this.peek();
    const where = kind === 'end' ? 'at its end' : `before "${text}", character ${at + 1}`;
    return wrong(`${this.option}: ${message}, ${where}`);
  }

  private peek(): Token {
    return this.tokens[this.next]!;
  }

  private cut(): Token[] {
    const found: Token[] = [];
    let at = 0;
    for (;;) {
      while (/[ \t\n\r]/.test(this.source[at] ?? '')) at++;
      if (at >= this.source.length) break;
      const rest = this.source.slice(at);
      const hit = PATTERNS.map(([kind, pattern]) => [kind, pattern.exec(rest)?.[0]] as const).find(
        ([, text]) => text !== undefined,
      );
      if (!hit) throw wrong(`${this.option}: "${rest[0]!}" means nothing here, character ${at + 1} of it`);
      found.push({ kind: hit[0], text: hit[1]!, at });
      at += hit[1]!.length;
    }
    return [...found, { kind: 'end', text: '', at: this.source.length }];
  }

  private level(place: number): Expression {
    const operators = LADDER[place];
    if (!operators) return this.unary();
    let left = this.level(place + 1);
    for (;;) {
      const operator = operators.find((one) => this.takes(one));
      if (!operator) return left;
      left = { kind: 'binary', operator, left, right: this.level(place + 1) };
    }
  }

  private unary(): Expression {
    if (this.takes('-')) return { kind: 'unary', operator: '-', operand: this.nested(() => this.unary()) };
    if (this.takes('not'))
      return { kind: 'unary', operator: 'not', operand: this.nested(() => this.unary()) };
    const operand = this.primary();
    if (this.word().toLowerCase() === 'has') throw notOffered('has');
    if (!this.takes('in')) return operand;
    this.needs('(');
    const list = this.list(() => this.expression());
    this.needs(')');
    return { kind: 'in', operand, list };
  }

  private nested<T>(read: () => T): T {
    if (++this.depth > DEEPEST) throw wrong(`${this.option} is nested more than ${DEEPEST} deep`);
    const found = read();
    this.depth--;
    return found;
  }

  private primary(): Expression {
    const { kind, text } = this.peek();
    if (this.takes('(')) {
      const inner = this.expression();
      this.needs(')');
      return inner;
    }
    if (kind === 'text') {
      this.next++;
      return { kind: 'literal', type: kind, text: text.slice(1, -1).replaceAll("''", "'") };
    }
    if (kind === 'integer' || kind === 'number' || kind === 'date' || kind === 'timestamp') {
      this.next++;
      return { kind: 'literal', type: kind, text };
    }
    if (kind !== 'name') throw this.fault('a value is missing');
    const lower = text.toLowerCase();
    if (lower === 'true' || lower === 'false' || lower === 'null') {
      this.next++;
      return { kind: 'literal', type: lower === 'null' ? 'null' : 'boolean', text: lower };
    }
    const name = this.property();
    if (this.word() === '/') throw notOffered(`a path such as ${name}/…`);
    if (!this.takes('(')) return { kind: 'property', name };
    const args = this.takes(')') ? [] : this.list(() => this.expression());
    if (args.length > 0) this.needs(')');
    return { kind: 'call', name: lower, args };
  }
}

/** The expression of $filter. Throws ODataError. */
export function readFilter(source: string, option = '$filter'): Expression {
  const reader = new ODataReader(source, option);
  const found = reader.expression();
  reader.end();
  return found;
}
