import { depthFault, sizeFault } from './limits.ts';
import { nearestName } from '../values/index.ts';
import type { FormulaFault, Span } from './source.ts';
import { spanOf } from './source.ts';
import type { Comment, Token } from './lexer.ts';
import { RESERVED, tokenize } from './lexer.ts';
import type {
  AggregateCall,
  BinaryOperator,
  ContextWord,
  Expression,
  Name,
  Period,
  PeriodUnit,
  Target,
} from './tree.ts';
import { AGGREGATES } from './tree.ts';

export interface ParsedFormula {
  readonly source: string;
  readonly tree: Expression;
  readonly comments: readonly Comment[];
  readonly faults: readonly FormulaFault[];
}

const CONTEXT_WORDS = new Set(['where', 'ignoring', 'given', 'via', 'over', 'at']);
const COMPARISONS = new Set(['=', '<>', '<', '<=', '>', '>=']);
const UNITS: Record<string, PeriodUnit> = {
  day: 'day',
  days: 'day',
  week: 'week',
  weeks: 'week',
  month: 'month',
  months: 'month',
  quarter: 'quarter',
  quarters: 'quarter',
  year: 'year',
  years: 'year',
};

/** Parses a formula. It never throws: all faults are collected, and what cannot be read becomes `missing`. */
export function parseFormula(source: string): ParsedFormula {
  const { tokens, comments, faults } = tokenize(source);
  const tooLarge = sizeFault(source, tokens);
  const nothing: Expression = { kind: 'missing', start: 0, end: source.length };
  if (tooLarge) return { source, tree: nothing, comments, faults: [tooLarge] };
  const parser = new Parser(tokens, [...faults]);
  const tree = parser.formula();
  const tooDeep = depthFault(tree);
  if (tooDeep) return { source, tree: nothing, comments, faults: [tooDeep] };
  return { source, tree, comments, faults: parser.faults };
}

/** Parses the words of a period, such as `year to date`; the faults' spans are offsets in the text given. */
export function parsePeriod(source: string): { period?: Period; faults: readonly FormulaFault[] } {
  const { tokens, faults } = tokenize(source);
  const parser = new Parser(tokens, [...faults]);
  const period = parser.period();
  parser.expectEnd();
  return { ...(period ? { period } : {}), faults: parser.faults };
}

/**
 * Recursive descent: one method for each production of the grammar, which stands above it. `[ x ]` may be
 * missing, `{ x }` comes any number of times. A fault is noted and reading goes on.
 */
class Parser {
  private at = 0;
  /** Inside of a condition, context words are not taken: they belong to what the condition is attached to. */
  private inCondition = false;

  constructor(
    private readonly tokens: readonly Token[],
    readonly faults: FormulaFault[],
  ) {}

  private get token(): Token {
    return this.tokens[this.at]!;
  }

  private get last(): Token {
    return this.tokens[Math.max(0, this.at - 1)]!;
  }

  private peek(offset = 1): Token {
    return this.tokens[Math.min(this.at + offset, this.tokens.length - 1)]!;
  }

  private is(text: string): boolean {
    return (this.token.kind === 'symbol' || this.token.kind === 'name') && this.token.text === text;
  }

  private take(text: string): boolean {
    if (!this.is(text)) return false;
    this.at++;
    return true;
  }

  private expect(text: string, what: string): void {
    if (this.take(text)) return;
    this.fault(this.token, `${text} expected ${what}, ${this.found()}`);
  }

  private found(): string {
    return this.token.kind === 'end' ? 'but the formula ends' : `not ${this.token.source}`;
  }

  private fault(span: Span, message: string): void {
    const before = this.faults.at(-1);
    // One place, one message: what follows from a fault at the same token is not worth telling.
    if (before && before.start === span.start && before.end === span.end) return;
    this.faults.push({ start: span.start, end: span.end, message });
  }

  /** formula = steps | expression */
  formula(): Expression {
    const tree = this.is('with') ? this.withSteps() : this.expression();
    this.expectEnd();
    return tree;
  }

  expectEnd(): void {
    while (this.token.kind !== 'end') {
      if (this.is(',') || this.is(')')) {
        this.fault(
          this.token,
          this.is(',')
            ? 'unexpected comma: this is not a list: several targets go in parentheses'
            : 'unexpected ) without a (',
        );
        this.at++;
        if (this.peek(0).kind !== 'end') this.expression();
        continue;
      }
      if (this.token.text === 'from' || this.token.text === 'filter') {
        const word = this.token.text;
        this.fault(
          this.token,
          word === 'from'
            ? 'from goes directly after the aggregate, before filter'
            : 'filter goes directly after an aggregate',
        );
        this.skipTo(new Set([',', ')']));
        continue;
      }
      if (CONTEXT_WORDS.has(this.token.text) && this.token.kind === 'name') {
        this.fault(
          this.token,
          `${this.token.text} has nothing before it that it could act on: put an aggregate, a measure or parentheses there`,
        );
        this.words();
        continue;
      }
      this.fault(this.token, `an operator is missing before ${this.token.source}`);
      const start = this.at;
      this.expression();
      if (this.at === start) this.at++;
    }
  }

  private skipTo(stop: ReadonlySet<string>): void {
    for (let depth = 0; this.token.kind !== 'end'; this.at++) {
      if (depth === 0 && this.token.kind === 'symbol' && stop.has(this.token.text)) return;
      if (this.is('(')) depth++;
      if (this.is(')')) depth--;
    }
  }

  /** steps = "with" name "as" "(" expression ")" { "," name "as" "(" expression ")" } "select" expression */
  private withSteps(): Expression {
    const start = this.token;
    this.at++;
    const steps: { name: Name; value: Expression }[] = [];
    do {
      const name = this.name('a name for the step');
      this.expect('as', 'after the name of a step');
      this.expect('(', 'before a step');
      const value = this.expression();
      this.expect(')', 'after a step');
      steps.push({ name, value });
    } while (this.take(','));
    this.expect('select', 'after the steps');
    const body = this.expression();
    return { kind: 'with', steps, body, ...spanOf(start, body) };
  }

  /** expression = conjunction { "or" conjunction } */
  expression(): Expression {
    return this.binary(['or'], () => this.conjunction());
  }

  /** conjunction = negation { "and" negation } */
  private conjunction(): Expression {
    return this.binary(['and'], () => this.negation());
  }

  /** negation = "not" negation | comparison */
  private negation(): Expression {
    if (!this.is('not')) return this.comparison();
    const start = this.token;
    this.at++;
    const operand = this.negation();
    return { kind: 'unary', operator: 'not', operand, ...spanOf(start, operand) };
  }

  private binary(operators: readonly BinaryOperator[], next: () => Expression): Expression {
    let left = next();
    for (;;) {
      const operator = operators.find((o) => this.is(o));
      if (!operator) return left;
      this.at++;
      const right = next();
      left = { kind: 'binary', operator, left, right, ...spanOf(left, right) };
    }
  }

  /** comparison = concatenation { comparator concatenation | is-test | [ "not" ] list-test } */
  private comparison(): Expression {
    let left = this.concatenation();
    for (;;) {
      if (this.token.kind === 'symbol' && COMPARISONS.has(this.token.text)) {
        const operator = this.token.text as BinaryOperator;
        this.at++;
        const right = this.concatenation();
        left = { kind: 'binary', operator, left, right, ...spanOf(left, right) };
      } else if (this.is('is')) left = this.isTest(left);
      else if (this.is('in') || this.is('between') || this.is('like')) left = this.listTest(left, false);
      else if (this.is('not') && ['in', 'between', 'like'].includes(this.peek().text)) {
        this.at++;
        left = this.listTest(left, true);
      } else return left;
    }
  }

  /** is-test = "is" [ "not" ] ( "null" | "distinct" "from" concatenation ) */
  private isTest(operand: Expression): Expression {
    this.at++;
    const not = this.take('not');
    if (this.take('null')) return { kind: 'is-null', operand, not, ...spanOf(operand, this.last) };
    if (this.take('distinct')) {
      this.expect('from', 'after is distinct');
      const right = this.concatenation();
      return { kind: 'is-distinct', left: operand, right, not, ...spanOf(operand, right) };
    }
    this.fault(this.token, `null or distinct from expected after is, ${this.found()}`);
    return { kind: 'is-null', operand, not, ...spanOf(operand, this.last) };
  }

  /** list-test = "in" "(" list ")" | "between" concatenation "and" concatenation | "like" concatenation */
  private listTest(operand: Expression, not: boolean): Expression {
    const word = this.token.text;
    this.at++;
    if (word === 'in') {
      this.expect('(', 'after in');
      const list = this.is(')') ? [] : this.list();
      this.expect(')', 'after the list of in');
      return { kind: 'in', operand, list, not, ...spanOf(operand, this.last) };
    }
    if (word === 'between') {
      const low = this.concatenation();
      this.expect('and', 'between the two ends of between');
      const high = this.concatenation();
      return { kind: 'between', operand, low, high, not, ...spanOf(operand, high) };
    }
    const pattern = this.concatenation();
    return { kind: 'like', operand, pattern, not, ...spanOf(operand, pattern) };
  }

  /** concatenation = sum { "||" sum } */
  private concatenation(): Expression {
    return this.binary(['||'], () => this.sum());
  }

  /** sum = product { ( "+" | "-" ) product } */
  private sum(): Expression {
    return this.binary(['+', '-'], () => this.product());
  }

  /** product = sign { ( "*" | "/" | "%" ) sign } */
  private product(): Expression {
    return this.binary(['*', '/', '%'], () => this.sign());
  }

  /** sign = ( "-" | "+" ) sign | postfix */
  private sign(): Expression {
    if (!this.is('-') && !this.is('+')) return this.postfix();
    const start = this.token;
    this.at++;
    const operand = this.sign();
    return { kind: 'unary', operator: start.text as '-' | '+', operand, ...spanOf(start, operand) };
  }

  /** postfix = primary words */
  private postfix(): Expression {
    const operand = this.primary();
    if (this.inCondition || operand.kind === 'missing') return operand;
    const words = this.words();
    return words.length === 0
      ? operand
      : { kind: 'context', operand, words, ...spanOf(operand, words.at(-1)!) };
  }

  /** words = { word }, each of them once */
  private words(): ContextWord[] {
    const words: ContextWord[] = [];
    while (this.token.kind === 'name' && CONTEXT_WORDS.has(this.token.text)) {
      const twice = words.find((w) => w.word === this.token.text);
      if (twice)
        this.fault(
          this.token,
          `${this.token.text} occurs twice in one chain: use parentheses for the second`,
        );
      words.push(this.word());
    }
    return words;
  }

  /**
   * word = "where" condition | "ignoring" ignored | "given" targets | "via" name-list | "over" over |
   * "at" at
   */
  private word(): ContextWord {
    const start = this.token;
    this.at++;
    const done = <T extends object>(word: T) => ({ ...word, ...spanOf(start, this.last) });
    switch (start.text) {
      case 'where':
        return done({ word: 'where' as const, condition: this.condition() });
      case 'given':
        return done({ word: 'given' as const, targets: this.targets() });
      case 'via':
        return done({ word: 'via' as const, relationships: this.inList(() => this.name('a relationship')) });
      case 'over':
        return done({ word: 'over' as const, ...this.over() });
      case 'at':
        return done({ word: 'at' as const, ...this.atEnd() });
      default:
        if (this.take('everything'))
          return done({ word: 'ignoring' as const, what: 'everything' as const, targets: [] });
        // `all reaching t`, or `reaching t` for short; a table may have the name `reaching`.
        if ((this.is('all') && this.peek().text === 'reaching') || this.isReachingShort()) {
          this.at += this.is('all') ? 2 : 1;
          return done({ word: 'ignoring' as const, what: 'reaching' as const, targets: this.targets() });
        }
        return done({ word: 'ignoring' as const, what: 'targets' as const, targets: this.targets() });
    }
  }

  private isReachingShort(): boolean {
    if (!this.is('reaching')) return false;
    const next = this.peek();
    return (
      next.text === '(' || ((next.kind === 'name' || next.kind === 'quoted') && !CONTEXT_WORDS.has(next.text))
    );
  }

  /** condition = expression, in which no word of context follows a primary */
  private condition(): Expression {
    const before = this.inCondition;
    this.inCondition = true;
    const condition = this.expression();
    this.inCondition = before;
    return condition;
  }

  /** over = "(" period [ "in" name ] ")" */
  private over(): { period: Period; calendar?: Name } {
    this.expect('(', 'after over');
    const period = this.period() ?? { kind: 'whole' as const, unit: 'day' as const };
    let calendar: Name | undefined;
    if (this.take('in')) calendar = this.name('a calendar table');
    if (!this.is(')')) this.skipTo(new Set([')']));
    this.expect(')', 'after the period');
    return { period, ...(calendar ? { calendar } : {}) };
  }

  /** period, or a fault that says which are known */
  period(): Period | undefined {
    const start = this.at;
    const period = this.readPeriod();
    if (period) return period;
    const words: string[] = [];
    for (
      let i = start;
      ['name', 'number'].includes(this.tokens[i]!.kind) && this.tokens[i]!.text !== 'in';
      i++
    )
      words.push(this.tokens[i]!.source);
    const known = [
      'year to date',
      'month to date',
      'quarter to date',
      'whole month',
      'previous month',
      'next month',
      'same period 1 year back',
      'last 12 months',
    ];
    const near = nearestName(words.join(' '), known);
    this.at = start;
    this.fault(
      this.token,
      `"${words.join(' ')}" is no period: ${near ? `did you mean "${near}"?` : `write for example ${known.slice(0, 3).join(', ')}`}`,
    );
    while (['name', 'number'].includes(this.token.kind) && !this.is('in')) this.at++;
    return undefined;
  }

  /**
   * period = ( "whole" | "previous" | "next" ) unit | "same" "period" counted "back" | "last" counted |
   * ( unit | "all" ) "to" "date"
   */
  private readPeriod(): Period | undefined {
    const word = this.token.text;
    if (word === 'whole' || word === 'previous' || word === 'next') {
      this.at++;
      const unit = this.unit();
      return unit && { kind: word, unit };
    }
    if (word === 'same') {
      this.at++;
      if (!this.take('period')) return undefined;
      const counted = this.countedUnit();
      return counted && this.take('back') ? { kind: 'same', ...counted } : undefined;
    }
    if (word === 'last') {
      this.at++;
      const counted = this.countedUnit();
      return counted && { kind: 'last', ...counted };
    }
    const unit = this.take('all') ? 'all' : this.unit();
    return unit && this.take('to') && this.take('date') ? { kind: 'to date', unit } : undefined;
  }

  /** counted = whole-number unit */
  private countedUnit(): { count: number; unit: PeriodUnit } | undefined {
    if (this.token.kind !== 'number' || !/^\d+$/.test(this.token.text)) return undefined;
    const count = Number(this.token.text);
    this.at++;
    const unit = this.unit();
    return unit && count >= 1 ? { count, unit } : undefined;
  }

  /** unit = [ "fiscal" ] ( "day" | "week" | "month" | "quarter" | "year" ), or its plural */
  private unit(): PeriodUnit | undefined {
    const fiscal = this.take('fiscal');
    const unit = this.token.kind === 'name' ? UNITS[this.token.text] : undefined;
    if (!unit || (fiscal && unit !== 'quarter' && unit !== 'year')) return undefined;
    this.at++;
    return fiscal ? (`fiscal ${unit}` as PeriodUnit) : unit;
  }

  /** at = ( "first" | "last" ) target [ "per" targets ] */
  private atEnd(): { which: 'first' | 'last'; column: Target; per?: readonly Target[] } {
    const which = this.is('first') ? 'first' : 'last';
    if (!this.take('first') && !this.take('last'))
      this.fault(this.token, `first or last expected after at, ${this.found()}`);
    const column = this.target();
    if (!column.column)
      this.fault(column, `at ${which} needs a column, ${column.table.text} is written as a table`);
    const per = this.take('per') ? this.targets() : undefined;
    return { which, column, ...(per ? { per } : {}) };
  }

  /** One item, or several in parentheses. */
  private inList<T>(item: () => T): T[] {
    if (!this.take('(')) return [item()];
    const items = [item()];
    while (this.take(',')) items.push(item());
    this.expect(')', 'after the list');
    return items;
  }

  /** targets = target | "(" target { "," target } ")" */
  private targets(): Target[] {
    return this.inList(() => this.target());
  }

  /** target = name [ "." name ] */
  private target(): Target {
    const table = this.name('a table or a column');
    if (!this.take('.')) return { table, start: table.start, end: table.end };
    const column = this.name('a column', true);
    return { table, column, ...spanOf(table, column) };
  }

  /** name = word that is not reserved | quoted word; after a dot any word */
  private name(what: string, afterDot = false): Name {
    const token = this.token;
    if (token.kind === 'quoted' || (token.kind === 'name' && (afterDot || !RESERVED.has(token.text)))) {
      this.at++;
      return {
        text: token.kind === 'quoted' ? token.text : token.source,
        quoted: token.kind === 'quoted',
        start: token.start,
        end: token.end,
      };
    }
    const reserved =
      token.kind === 'name'
        ? ` (${token.source} is reserved: put it in double quotes to use it as a name)`
        : '';
    this.fault(token, `${what} expected, ${this.found()}${reserved}`);
    return { text: '', quoted: false, start: token.start, end: token.start };
  }

  /** list = expression { "," expression } */
  private list(): Expression[] {
    const items = [this.expression()];
    while (this.take(',')) items.push(this.expression());
    return items;
  }

  /** primary = number | text | word-or-name | reference | parenthesised */
  private primary(): Expression {
    const token = this.token;
    switch (token.kind) {
      case 'number':
        this.at++;
        return { kind: 'number', text: token.text, start: token.start, end: token.end };
      case 'text':
        this.at++;
        return { kind: 'text', text: token.text, start: token.start, end: token.end };
      case 'quoted':
        return this.reference();
      case 'name':
        return this.wordOrName();
      default:
        return this.is('(') ? this.parenthesised() : this.missing();
    }
  }

  /** parenthesised = "(" ( steps | expression ) ")" */
  private parenthesised(): Expression {
    const start = this.token;
    this.at++;
    const inner = this.is('with') ? this.withSteps() : this.expression();
    this.expect(')', 'to close the parenthesis');
    return { kind: 'parenthesised', inner, ...spanOf(start, this.last) };
  }

  private missing(): Expression {
    this.fault(
      this.token,
      `a value is missing here${this.token.kind === 'end' ? ': the formula ends' : `, before ${this.token.source}`}`,
    );
    return { kind: 'missing', start: this.token.start, end: this.token.start };
  }

  /**
   * word-or-name = "true" | "false" | "null" | case | cast | ( "date" | "timestamp" ) text | aggregate |
   * call | reference
   */
  private wordOrName(): Expression {
    const token = this.token;
    const span = { start: token.start, end: token.end };
    switch (token.text) {
      case 'true':
      case 'false':
        this.at++;
        return { kind: 'boolean', value: token.text === 'true', ...span };
      case 'null':
        this.at++;
        return { kind: 'null', ...span };
      case 'case':
        return this.caseOf();
      case 'cast':
        return this.castOf();
    }
    if ((token.text === 'date' || token.text === 'timestamp') && this.peek().kind === 'text') {
      this.at += 2;
      return { kind: 'moment', type: token.text, text: this.last.text, ...spanOf(token, this.last) };
    }
    if (RESERVED.has(token.text)) return this.missing();
    if (this.peek().text === '(' && this.peek().kind === 'symbol') {
      return (AGGREGATES as readonly string[]).includes(token.text) ? this.aggregate() : this.call();
    }
    return this.reference();
  }

  /** reference = name [ "." name ] */
  private reference(): Expression {
    const first = this.name('a name');
    if (!this.take('.')) return { kind: 'name', parts: [first], start: first.start, end: first.end };
    const second = this.name('a column', true);
    return { kind: 'name', parts: [first, second], ...spanOf(first, second) };
  }

  /** case = "case" [ expression ] { "when" expression "then" expression } [ "else" expression ] "end" */
  private caseOf(): Expression {
    const start = this.token;
    this.at++;
    const subject = this.is('when') ? undefined : this.expression();
    const branches: { when: Expression; then: Expression }[] = [];
    while (this.take('when')) {
      const when = this.expression();
      this.expect('then', 'after when');
      branches.push({ when, then: this.expression() });
    }
    if (branches.length === 0) this.fault(this.token, `when expected in case, ${this.found()}`);
    const otherwise = this.take('else') ? this.expression() : undefined;
    this.expect('end', 'to close case');
    return {
      kind: 'case',
      ...(subject ? { subject } : {}),
      branches,
      ...(otherwise ? { otherwise } : {}),
      ...spanOf(start, this.last),
    };
  }

  /** cast = "cast" "(" expression "as" type ")" */
  private castOf(): Expression {
    const start = this.token;
    this.at++;
    this.expect('(', 'after cast');
    const operand = this.expression();
    this.expect('as', 'in cast');
    const typeStart = this.token;
    let type = '';
    for (let depth = 0; this.token.kind !== 'end'; this.at++) {
      if (this.is('(')) depth++;
      if (this.is(')') && depth-- === 0) break;
      type += this.token.source;
    }
    const typeSpan = spanOf(typeStart, this.last);
    this.expect(')', 'to close cast');
    return { kind: 'cast', operand, type, typeSpan, ...spanOf(start, this.last) };
  }

  /** call = name "(" [ arguments ] ")" */
  private call(): Expression {
    const name = this.name('a function');
    this.at++;
    const args = this.callArguments(name);
    return { kind: 'call', name, args, ...spanOf(name, this.last) };
  }

  /** arguments = list | expression "from" expression, for extract */
  private callArguments(name: Name): Expression[] {
    if (this.take(')')) return [];
    const args = [this.expression()];
    // extract(part from x) is SQL's own; everything else is separated by commas.
    if (name.text.toLowerCase() === 'extract' && this.take('from')) args.push(this.expression());
    while (this.take(',')) args.push(this.expression());
    if (!this.is(')')) {
      this.fault(this.token, `a comma or ) is expected after an argument of ${name.text}, ${this.found()}`);
      this.skipTo(new Set([')']));
    }
    this.expect(')', `to close ${name.text}`);
    return args;
  }

  /**
   * aggregate = name "(" [ "distinct" ] expression [ "by" expression ] [ "per" targets ] ")" [ "from" name ]
   * [ filter ]
   */
  private aggregate(): AggregateCall {
    const name = this.name('an aggregate');
    this.at++;
    // An aggregate within a condition is a fault of its own; its inside is read as usual.
    const distinct = this.take('distinct');
    const arg = this.expression();
    const by = this.take('by') ? this.expression() : undefined;
    const per = this.take('per') ? this.targets() : undefined;
    if (!this.is(')')) {
      this.fault(this.token, `) expected after the argument of ${name.text}, ${this.found()}`);
      this.skipTo(new Set([')']));
    }
    this.expect(')', `to close ${name.text}`);
    const from = this.take('from') ? this.name('a table') : undefined;
    const filter = this.is('filter') ? this.filter() : undefined;
    return {
      kind: 'aggregate',
      name,
      distinct,
      arg,
      ...(by ? { by } : {}),
      ...(per ? { per } : {}),
      ...(from ? { from } : {}),
      ...(filter ? { filter } : {}),
      ...spanOf(name, this.last),
    };
  }

  /** filter = "filter" "(" "where" condition ")" */
  private filter(): Expression {
    this.at++;
    this.expect('(', 'after filter');
    this.expect('where', 'in filter');
    const condition = this.condition();
    this.expect(')', 'to close filter');
    return condition;
  }
}
