import type { DataType, Value } from '../values/index.ts';
import {
  BOOLEAN,
  DATE,
  DOUBLE,
  INTEGER,
  TEXT,
  TIMESTAMP,
  decimal,
  formatType,
  isExact,
  isNumeric,
  nearestName,
  parseExact,
  parseType,
  scaleOf,
  textReader,
} from '../values/index.ts';
import type { Model, Table } from '../model/index.ts';
import { cardinalityOf, ModelNames, sameName } from '../model/index.ts';
import type { Path } from '../relate/index.ts';
import { Reach } from '../relate/index.ts';
import type { FormulaFault, Span } from './source.ts';
import type { AggregateCall, ContextWord, Expression, Name, Target } from './tree.ts';
import type { ColumnName, Typed, TypedTarget, TypedWords } from './typed.ts';
import { columnsOf, walkTyped } from './typed.ts';
import { AGGREGATES } from './tree.ts';
import { parseFormula } from './parser.ts';
import { FUNCTIONS, functionNamed } from './functions/index.ts';
import type { Application, Argument } from './functions/index.ts';
import { commonType, needsText, typeText } from './functions/definition.ts';
import { arithmetic } from './operators.ts';

/** What data tell that a model does not: used where a fact refers to a level of a table. */
export interface DataOracle {
  /** Whether the column has one value within each combination of values of the level's columns. */
  determines(table: string, levelColumns: readonly string[], column: string): boolean;
}

export interface CheckedFormula {
  readonly source: string;
  /** Missing where there are faults. */
  readonly typed?: Typed;
  readonly faults: readonly FormulaFault[];
  /** Measures named that are broken themselves: then this one cannot be judged. */
  readonly restsOn: readonly string[];
  /** Measures, and tables and columns, that the formula itself names. */
  readonly measures: readonly string[];
  readonly columns: readonly ColumnName[];
}

/**
 * Checks the formulas of one model: names, types, base tables, reach. Results are kept, so each formula is checked once.
 * Faults are values; only a bug throws.
 */
export class FormulaChecker {
  readonly names: ModelNames;
  readonly reach: Reach;
  private readonly measures = new Map<string, CheckedFormula>();
  private readonly open: string[] = [];
  private readonly bases = new Map<string, ReadonlySet<string>>();

  constructor(
    readonly model: Model,
    readonly oracle?: DataOracle,
  ) {
    this.names = new ModelNames(model);
    this.reach = new Reach(this.names);
  }

  /** The measure of that name, checked; undefined where there is none. */
  measure(name: string): CheckedFormula | undefined {
    const measure = this.names.measure(name);
    if (!measure) return undefined;
    const key = measure.name.toLowerCase();
    let checked = this.measures.get(key);
    if (!checked) {
      this.open.push(measure.name);
      checked = this.check(measure.formula, { kind: 'measure' });
      this.open.pop();
      this.measures.set(key, checked);
    }
    return checked;
  }

  /** Any measure formula, such as one being typed; `name` is the measure that it would become. */
  measureFormula(source: string, name?: string): CheckedFormula {
    this.open.push(name ?? '');
    const checked = this.check(source, { kind: 'measure' });
    this.open.pop();
    return checked;
  }

  /** A row formula of a derived column, converted to the column's type. */
  column(table: Table, column: string, formula: string, type: DataType): CheckedFormula {
    return this.check(formula, { kind: 'row', table, own: column }, type);
  }

  /** A condition over columns of any tables, such as a trial's filter. */
  condition(source: string): CheckedFormula {
    return this.check(source, { kind: 'condition' }, BOOLEAN);
  }

  /** Names of open measures from the one that is met again on: a circle, or nothing. */
  circle(name: string): string[] | undefined {
    const at = this.open.findIndex((other) => sameName(other, name));
    return at < 0 ? undefined : [...this.open.slice(at), name];
  }

  /** Base tables (lower case) of all aggregates of a measure, through the measures it uses. */
  basesOf(node: Typed): ReadonlySet<string> {
    const bases = new Set<string>();
    walkTyped(node, (n) => {
      if (n.kind === 'aggregate') bases.add(n.base.toLowerCase());
      if (n.kind === 'measure') for (const base of this.basesOfMeasure(n.name)) bases.add(base);
    });
    return bases;
  }

  private basesOfMeasure(name: string): ReadonlySet<string> {
    const key = name.toLowerCase();
    let bases = this.bases.get(key);
    if (!bases) {
      const typed = this.measure(name)?.typed;
      bases = typed ? this.basesOf(typed) : new Set<string>();
      this.bases.set(key, bases);
    }
    return bases;
  }

  private check(source: string, scope: Scope, wanted?: DataType): CheckedFormula {
    const parsed = parseFormula(source);
    const pass = new Pass(this, source, scope, [...parsed.faults]);
    const typed = pass.top(parsed.tree, wanted);
    const sound = pass.faults.length === 0 && pass.restsOn.size === 0;
    return {
      source,
      ...(sound && typed ? { typed } : {}),
      faults: [...pass.faults].sort((a, b) => a.start - b.start),
      restsOn: [...pass.restsOn],
      measures: [...pass.usedMeasures],
      columns: [...pass.usedColumns.values()],
    };
  }
}

type Scope = { kind: 'measure' } | { kind: 'row'; table: Table; own: string } | { kind: 'condition' };

/** Where an expression stands: over rows of a table (or of any, for a condition), or over a context. */
type Place = { rows: true; own?: Table; aggregates: boolean } | { rows: false };

/** One check of one formula. `undefined` stands for a part that has a fault already. */
class Pass {
  readonly restsOn = new Set<string>();
  readonly usedMeasures = new Set<string>();
  readonly usedColumns = new Map<string, ColumnName>();
  private steps: { name: string; typed: Typed | undefined }[] = [];
  /** Relationships named by `via` around the node being checked. */
  private via: string[] = [];

  constructor(
    private readonly checker: FormulaChecker,
    private readonly source: string,
    private readonly scope: Scope,
    readonly faults: FormulaFault[],
  ) {}

  private get names(): ModelNames {
    return this.checker.names;
  }

  top(tree: Expression, wanted?: DataType): Typed | undefined {
    const place: Place =
      this.scope.kind === 'measure'
        ? { rows: false }
        : { rows: true, aggregates: this.scope.kind === 'row', ...(this.scope.kind === 'row' ? { own: this.scope.table } : {}) };
    const typed = this.expression(tree, place);
    if (!typed || !wanted) return typed;
    if (wanted.kind === 'boolean' && typed.type !== null && typed.type.kind !== 'boolean') {
      return this.fault(
        tree,
        this.scope.kind === 'condition'
          ? `a condition is true or false, ${this.describe(tree, typed)}`
          : `the column is a boolean, ${this.describe(tree, typed)}`,
      );
    }
    const converted = this.coerce(typed, wanted);
    if (!converted)
      return this.fault(
        tree,
        `the column is declared ${formatType(wanted)}, but ${this.describe(tree, typed)}: change the type or use cast(… as ${formatType(wanted)})`,
      );
    return converted;
  }

  private fault(span: Span, message: string): undefined {
    this.faults.push({ start: span.start, end: span.end, message });
    return undefined;
  }

  private text(span: Span): string {
    const text = this.source.slice(span.start, span.end);
    return text.length > 60 ? `${text.slice(0, 57)}…` : text;
  }

  private describe(span: Span, typed: Typed): string {
    return typeText({ type: typed.type, text: this.text(span) });
  }

  private argument(node: Expression, typed: Typed): Argument {
    return { type: typed.type, text: this.text(node), ...(typed.kind === 'constant' ? { constant: typed.value } : {}) };
  }

  private expression(node: Expression, place: Place): Typed | undefined {
    const span = { start: node.start, end: node.end };
    const constant = (value: Value, type: DataType | null): Typed => ({ kind: 'constant', value, type, span });
    switch (node.kind) {
      case 'missing':
        return undefined;
      case 'parenthesised':
        return this.expression(node.inner, place);
      case 'null':
        return constant(null, null);
      case 'boolean':
        return constant(node.value, BOOLEAN);
      case 'text':
        return constant(node.text, TEXT);
      case 'number':
        return this.number(node.text, span);
      case 'moment': {
        const type = node.type === 'date' ? DATE : TIMESTAMP;
        const value = textReader(type)(node.text);
        return value === undefined
          ? this.fault(
              node,
              `'${node.text}' is no ${node.type}: write ${node.type} '${node.type === 'date' ? '2026-03-01' : '2026-03-01 10:00:00'}'`,
            )
          : constant(value, type);
      }
      case 'name':
        return this.name(node.parts, node, place);
      case 'unary':
        return node.operator === 'not' ? this.not(node.operand, place, span) : this.sign(node.operator, node.operand, place, span);
      case 'binary':
        return this.binary(node, place);
      case 'is-null': {
        const operand = this.expression(node.operand, place);
        return operand && { kind: 'is-null', operand, not: node.not, type: BOOLEAN, span };
      }
      case 'is-distinct': {
        const pair = this.pair(node.left, node.right, place);
        return pair && { kind: 'is-distinct', ...pair, not: node.not, type: BOOLEAN, span };
      }
      case 'in':
        return this.inList(node, place);
      case 'between': {
        const low = this.compare('>=', node.operand, node.low, place, span);
        const high = this.compare('<=', node.operand, node.high, place, span);
        if (!low || !high) return undefined;
        const both: Typed = { kind: 'logic', operator: 'and', left: low, right: high, type: BOOLEAN, span };
        return node.not ? { kind: 'not', operand: both, type: BOOLEAN, span } : both;
      }
      case 'like': {
        const [operand, pattern] = [this.expression(node.operand, place), this.expression(node.pattern, place)];
        if (!operand || !pattern) return undefined;
        const wrong = needsText('like', [this.argument(node.operand, operand), this.argument(node.pattern, pattern)]);
        return wrong ? this.fault(node, wrong) : { kind: 'like', operand, pattern, not: node.not, type: BOOLEAN, span };
      }
      case 'case':
        return this.caseOf(node, place);
      case 'cast':
        return this.cast(node, place);
      case 'call':
        return this.call(node, place);
      case 'aggregate':
        return this.aggregate(node, place);
      case 'context':
        return this.context(node.operand, node.words, place, span);
      case 'with':
        return this.withSteps(node, place);
    }
  }

  private number(text: string, span: Span): Typed | undefined {
    if (/e/i.test(text)) return { kind: 'constant', value: Number(text), type: DOUBLE, span };
    const parsed = parseExact(text)!;
    const type = text.includes('.') ? decimal(Math.max(parsed.digits, parsed.scale, 1), parsed.scale) : INTEGER;
    return { kind: 'constant', value: parsed.value, type, span };
  }

  private name(parts: readonly Name[], span: Span, place: Place): Typed | undefined {
    if (parts.length === 2) return this.columnName(parts[0]!, parts[1]!, span, place);
    const name = parts[0]!;
    if (name.text === '') return undefined;
    if (place.rows) return this.bareColumn(name, place);
    const step = this.steps.findLast((s) => sameName(s.name, name.text));
    if (step) return step.typed;
    return this.measureName(name);
  }

  private measureName(name: Name): Typed | undefined {
    const measure = this.names.measure(name.text);
    if (!measure) {
      if (this.names.table(name.text)) return this.fault(name, `${name.text} is a table: count(${name.text}) counts its rows`);
      const near = nearestName(name.text, [...(this.names.model.measures ?? []).map((m) => m.name), ...this.steps.map((s) => s.name)]);
      return this.fault(name, `no measure "${name.text}"${near ? `: did you mean "${near}"?` : ''}`);
    }
    this.usedMeasures.add(measure.name);
    const circle = this.checker.circle(measure.name);
    if (circle) return this.fault(name, `the measures use each other in a circle: ${circle.join(' → ')}`);
    const checked = this.checker.measure(measure.name)!;
    if (!checked.typed) {
      // In a circle, each measure on it is at fault; one that only uses a broken measure rests on it.
      this.restsOn.add(measure.name);
      return undefined;
    }
    return { kind: 'measure', name: measure.name, type: checked.typed.type, span: name };
  }

  private bareColumn(name: Name, place: Extract<Place, { rows: true }>): Typed | undefined {
    if (place.own) {
      const column = this.names.column(place.own, name.text);
      if (column) return this.columnNode(place.own, column.name, name);
    }
    if (this.names.measure(name.text))
      return this.fault(name, `"${name.text}" is a measure: a ${place.own ? 'row formula' : 'condition'} speaks of columns only`);
    if (this.names.table(name.text)) return this.fault(name, `${name.text} is a table: write ${name.text}.column`);
    const near = nearestName(name.text, place.own?.columns.map((c) => c.name) ?? []);
    return this.fault(
      name,
      `no column "${name.text}"${near ? `: did you mean "${near}"?` : place.own ? ` in ${place.own.name}` : ': write table.column'}`,
    );
  }

  private columnName(tableName: Name, columnName: Name, span: Span, place: Place): Typed | undefined {
    const found = this.resolveColumn(tableName, columnName, span);
    if (!found) return undefined;
    if (!place.rows) {
      const path = `${found.table.name}.${found.column}`;
      return this.fault(span, `${path} stands outside of an aggregate: write for example sum(${path}) or only(${path})`);
    }
    if (place.own && !sameName(place.own.name, found.table.name)) this.checkLookup(place.own.name, found.table.name, span);
    return this.columnNode(found.table, found.column, span);
  }

  private resolveColumn(tableName: Name, columnName: Name, span: Span): { table: Table; column: string } | undefined {
    const table = this.names.table(tableName.text);
    if (!table) {
      const near = nearestName(
        tableName.text,
        this.names.model.tables.map((t) => t.name),
      );
      return this.fault(span, `no table "${tableName.text}"${near ? `: did you mean "${near}"?` : ''}`);
    }
    const column = this.names.column(table, columnName.text);
    if (column) return { table, column: column.name };
    const near = nearestName(
      columnName.text,
      table.columns.map((c) => c.name),
    );
    return this.fault(span, `no column "${tableName.text}.${columnName.text}"${near ? `: did you mean "${table.name}.${near}"?` : ''}`);
  }

  private columnNode(table: Table, column: string, span: Span): Typed {
    this.usedColumns.set(`${table.name}.${column}`.toLowerCase(), { table: table.name, column });
    const declared = this.names.column(table, column)!.type;
    return { kind: 'column', table: table.name, column, type: parseType(declared) ?? TEXT, span: { start: span.start, end: span.end } };
  }

  private not(operandNode: Expression, place: Place, span: Span): Typed | undefined {
    const operand = this.truth(operandNode, place);
    return operand && { kind: 'not', operand, type: BOOLEAN, span };
  }

  /** An expression that must be true, false or null. */
  private truth(node: Expression, place: Place): Typed | undefined {
    const typed = this.expression(node, place);
    if (!typed || typed.type === null || typed.type.kind === 'boolean') return typed && this.coerce(typed, BOOLEAN);
    return this.fault(node, `a condition is true or false, ${this.describe(node, typed)}`);
  }

  private sign(operator: '-' | '+', operandNode: Expression, place: Place, span: Span): Typed | undefined {
    const operand = this.expression(operandNode, place);
    if (!operand) return undefined;
    return this.applied(
      operator === '-' ? 'negate' : 'plus',
      arithmetic(operator === '-' ? 'negate' : 'plus', [this.argument(operandNode, operand)]),
      [operand],
      span,
    );
  }

  private applied(
    name: string,
    application: Application | string,
    args: readonly Typed[],
    span: Span,
    takesNulls = false,
  ): Typed | undefined {
    if (typeof application === 'string') return this.fault(span, application);
    const converted = args.map((arg, i) => {
      const to = application.convert?.[i];
      return to ? this.coerce(arg, to)! : arg;
    });
    return { kind: 'apply', name, args: converted, application, takesNulls, type: application.type, span };
  }

  private binary(node: Extract<Expression, { kind: 'binary' }>, place: Place): Typed | undefined {
    const span = { start: node.start, end: node.end };
    switch (node.operator) {
      case 'and':
      case 'or': {
        const [left, right] = [this.truth(node.left, place), this.truth(node.right, place)];
        return left && right && { kind: 'logic', operator: node.operator, left, right, type: BOOLEAN, span };
      }
      case '=':
      case '<>':
      case '<':
      case '<=':
      case '>':
      case '>=':
        return this.compare(node.operator, node.left, node.right, place, span);
      default: {
        const [left, right] = [this.expression(node.left, place), this.expression(node.right, place)];
        if (!left || !right) return undefined;
        return this.applied(
          node.operator,
          arithmetic(node.operator, [this.argument(node.left, left), this.argument(node.right, right)]),
          [left, right],
          span,
        );
      }
    }
  }

  private compare(
    operator: Extract<Typed, { kind: 'compare' }>['operator'],
    left: Expression,
    right: Expression,
    place: Place,
    span: Span,
  ): Typed | undefined {
    const pair = this.pair(left, right, place);
    return pair && { kind: 'compare', operator, ...pair, type: BOOLEAN, span };
  }

  /** Two operands brought to the type that they have in common. */
  private pair(leftNode: Expression, rightNode: Expression, place: Place): { left: Typed; right: Typed } | undefined {
    const [left, right] = [this.expression(leftNode, place), this.expression(rightNode, place)];
    if (!left || !right) return undefined;
    const type = commonType(left.type, right.type);
    if (type === undefined)
      return this.fault({ start: leftNode.start, end: rightNode.end }, this.cannotCompare(leftNode, left, rightNode, right));
    return { left: this.coerce(left, type ?? TEXT)!, right: this.coerce(right, type ?? TEXT)! };
  }

  private cannotCompare(leftNode: Expression, left: Typed, rightNode: Expression, right: Typed): string {
    const both = `${this.describe(leftNode, left)} and ${this.describe(rightNode, right)}`;
    const moment = [left, right].find((t) => t.type?.kind === 'date' || t.type?.kind === 'timestamp')?.type;
    const text = [left, right].find((t) => t.type?.kind === 'text');
    if (moment && text) {
      const literal = text.kind === 'constant' ? String(text.value) : moment.kind === 'date' ? '2026-03-01' : '2026-03-01 10:00:00';
      return `${both}: they cannot be compared; write ${moment.kind} '${literal}'`;
    }
    return `${both}: they cannot be compared; use cast(… as …) on one of them`;
  }

  private inList(node: Extract<Expression, { kind: 'in' }>, place: Place): Typed | undefined {
    const operand = this.expression(node.operand, place);
    const list = node.list.map((item) => this.expression(item, place));
    if (!operand || list.some((item) => !item)) return undefined;
    let type = operand.type;
    for (const [i, item] of (list as Typed[]).entries()) {
      const common = commonType(type, item.type);
      if (common === undefined) return this.fault(node.list[i]!, this.cannotCompare(node.operand, operand, node.list[i]!, item));
      type = common;
    }
    const to = type ?? TEXT;
    return {
      kind: 'in',
      operand: this.coerce(operand, to)!,
      list: (list as Typed[]).map((item) => this.coerce(item, to)!),
      not: node.not,
      type: BOOLEAN,
      span: { start: node.start, end: node.end },
    };
  }

  private caseOf(node: Extract<Expression, { kind: 'case' }>, place: Place): Typed | undefined {
    const branches = node.branches.map(({ when, then }) => ({
      when: node.subject ? this.compare('=', node.subject, when, place, when) : this.truth(when, place),
      then: this.expression(then, place),
    }));
    const otherwise = node.otherwise ? this.expression(node.otherwise, place) : undefined;
    if (branches.some((b) => !b.when || !b.then) || (node.otherwise && !otherwise)) return undefined;
    const values = [
      ...branches.map((b, i) => [node.branches[i]!.then, b.then!] as const),
      ...(otherwise ? [[node.otherwise!, otherwise] as const] : []),
    ];
    let type: DataType | null = null;
    for (const [n, value] of values) {
      const common = commonType(type, value.type);
      if (common === undefined)
        return this.fault(n, `the branches of case are of different types: ${values.map(([m, v]) => this.describe(m, v)).join(', ')}`);
      type = common;
    }
    const to = type ?? TEXT;
    return {
      kind: 'case',
      branches: branches.map(({ when, then }) => ({ when: when!, then: this.coerce(then!, to)! })),
      ...(otherwise ? { otherwise: this.coerce(otherwise, to)! } : {}),
      type: to,
      span: { start: node.start, end: node.end },
    };
  }

  private cast(node: Extract<Expression, { kind: 'cast' }>, place: Place): Typed | undefined {
    const operand = this.expression(node.operand, place);
    const type = parseType(node.type);
    if (!type) return this.fault(node.typeSpan, `"${node.type}" is no type: integer, decimal(p,s), double, text, boolean, date, timestamp`);
    return operand && { kind: 'convert', operand, cast: true, type, span: { start: node.start, end: node.end } };
  }

  private call(node: Extract<Expression, { kind: 'call' }>, place: Place): Typed | undefined {
    const definition = functionNamed(node.name.text);
    if (!definition) {
      // It may be a misspelt aggregate: of its arguments only the names are checked.
      node.args.forEach((arg) => this.expression(arg, place.rows ? place : { rows: true, aggregates: false }));
      const near = nearestName(node.name.text, [...FUNCTIONS.map((f) => f.name), ...AGGREGATES]);
      return this.fault(node.name, `no function "${node.name.text}"${near ? `: did you mean "${near}"?` : ''}`);
    }
    const [fewest, most] = definition.arity;
    if (node.args.length < fewest || node.args.length > most) {
      return this.fault(
        node,
        `${definition.name}(${definition.parameters}) takes ${fewest === most ? fewest : `${fewest} to ${most}`} arguments, not ${node.args.length}`,
      );
    }
    const typed = node.args.map((arg, i) =>
      definition.word?.at === i ? this.wordArgument(definition.name, definition.word.known, arg) : this.expression(arg, place),
    );
    if (typed.some((t) => !t)) return undefined;
    const args = typed as Typed[];
    return this.applied(
      definition.name,
      definition.check(node.args.map((arg, i) => this.argument(arg, args[i]!))),
      args,
      { start: node.start, end: node.end },
      definition.takesNulls,
    );
  }

  private wordArgument(name: string, known: readonly string[], node: Expression): Typed | undefined {
    const word = node.kind === 'name' && node.parts.length === 1 ? node.parts[0]!.text.toLowerCase() : undefined;
    if (word !== undefined && known.includes(word)) return { kind: 'constant', value: word, type: TEXT, span: node };
    const near = word === undefined ? undefined : nearestName(word, known);
    return this.fault(node, `${name} takes one of ${known.join(', ')} here${near ? `: did you mean ${near}?` : ''}`);
  }

  // ---------- aggregates ----------

  private aggregate(node: AggregateCall, place: Place): Typed | undefined {
    const name = node.name.text.toLowerCase() as (typeof AGGREGATES)[number];
    if (place.rows && !place.aggregates) {
      this.aggregateParts(node);
      return this.fault(node, `an aggregate has no place in a condition: ${this.text(node)}`);
    }
    if (node.per) return place.rows ? this.fault(node, 'per belongs to measures, not to row formulas') : this.per(node, name);
    const parts = this.aggregateParts(node);
    if (!parts) return undefined;
    const base = this.baseTable(node, parts);
    if (!base) return undefined;
    if (parts.filter) this.checkConditionReaches(parts.filter, [base.name.toLowerCase()], node.filter!);
    const type = this.aggregateType(node, name, parts.arg, parts.by);
    if (!type) return undefined;
    const owner = place.rows ? place.own!.name : undefined;
    if (owner !== undefined && !this.refersTo(base.name, owner, node)) return undefined;
    return {
      kind: 'aggregate',
      aggregate: name,
      distinct: node.distinct,
      base: base.name,
      type,
      span: { start: node.start, end: node.end },
      ...(parts.arg ? { arg: parts.arg } : {}),
      ...(parts.by ? { by: parts.by } : {}),
      ...(parts.filter ? { filter: parts.filter } : {}),
      ...(owner !== undefined ? { owner } : {}),
    };
  }

  /** Argument, `by` and `filter` of an aggregate, checked as row formulas over no particular table yet. */
  private aggregateParts(node: AggregateCall): { arg?: Typed; by?: Typed; filter?: Typed; rowsOf?: Table } | undefined {
    const rows: Place = { rows: true, aggregates: false };
    const name = node.name.text.toLowerCase();
    const filter = node.filter ? this.truth(node.filter, rows) : undefined;
    if (name === 'count' && !node.distinct && node.arg.kind === 'name' && node.arg.parts.length === 1 && node.arg.parts[0]!.text !== '') {
      const table = this.names.table(node.arg.parts[0]!.text);
      if (table) return node.filter && !filter ? undefined : { rowsOf: table, ...(filter ? { filter } : {}) };
      const near = nearestName(
        node.arg.parts[0]!.text,
        this.names.model.tables.map((t) => t.name),
      );
      return this.fault(
        node.arg,
        `no table "${node.arg.parts[0]!.text}"${near ? `: did you mean "${near}"?` : ''}; count takes a table or a column`,
      );
    }
    const arg = this.expression(node.arg, rows);
    const by = node.by ? this.expression(node.by, rows) : undefined;
    if (!arg || (node.by && !by) || (node.filter && !filter)) return undefined;
    const needsBy = name === 'latest' || name === 'earliest';
    if (needsBy !== Boolean(node.by))
      return this.fault(node, needsBy ? `${name} needs a by: ${name}(x by y)` : `by belongs to latest and earliest, not to ${name}`);
    return { arg, ...(by ? { by } : {}), ...(filter ? { filter } : {}) };
  }

  private baseTable(node: AggregateCall, parts: { arg?: Typed; by?: Typed; rowsOf?: Table }): Table | undefined {
    const named = parts.rowsOf
      ? [parts.rowsOf.name]
      : [...new Set([parts.arg, parts.by].flatMap((part) => (part ? columnsOf(part).map((c) => c.table) : [])))];
    if (node.from) {
      const from = this.names.table(node.from.text);
      if (!from) {
        const near = nearestName(
          node.from.text,
          this.names.model.tables.map((t) => t.name),
        );
        return this.fault(node.from, `no table "${node.from.text}"${near ? `: did you mean "${near}"?` : ''}`);
      }
      if (!named.every((table) => this.checkLookup(from.name, table, node))) return undefined;
      this.checkLevels(from.name, parts, node);
      return from;
    }
    if (named.length === 0) return this.fault(node.arg, `${node.name.text} needs a column in its argument, or from and a table after it`);
    const lookups = (base: string, table: string) => this.checker.reach.lookup(base, table, this.via) !== undefined;
    const base = named.find((candidate) => named.every((table) => lookups(candidate, table)));
    if (base === undefined) {
      for (const a of named)
        for (const b of named)
          if (a !== b && this.checker.reach.route(a, b, this.via)?.kind === 'ambiguous') return void this.checkLookup(a, b, node);
      return this.fault(node, `${named.slice(0, -1).join(', ')} and ${named.at(-1)} are not connected: use two measures`);
    }
    this.checkLevels(base, parts, node);
    return this.names.table(base);
  }

  /** Columns beyond a level must have one value within it. */
  private checkLevels(base: string, parts: { arg?: Typed; by?: Typed }, span: Span): void {
    for (const part of [parts.arg, parts.by]) {
      if (!part) continue;
      for (const column of columnsOf(part)) {
        const problem = this.columnProblem(base, column);
        if (problem) this.fault(span, problem);
      }
    }
  }

  /** Whether `table` is looked up from `base`; says why not. */
  private checkLookup(base: string, table: string, span: Span): boolean {
    const route = this.checker.reach.route(base, table, this.via);
    if (route?.kind === 'lookup') return true;
    if (route?.kind === 'ambiguous') {
      this.fault(
        span,
        `${base} leads to ${table} over two default paths (${route.paths.map(pathText).join('; ')}): mark one as not default, or name one with via`,
      );
    } else this.fault(span, `${base} and ${table} are not connected: ${table} is not looked up from ${base}`);
    return false;
  }

  private refersTo(base: string, owner: string, span: Span): boolean {
    if (sameName(base, owner)) return true;
    const route = this.checker.reach.route(base, owner);
    if (route?.kind === 'lookup' && !route.path.some((r) => cardinalityOf(r) === 'many-to-level')) return true;
    this.fault(
      span,
      route?.kind === 'ambiguous'
        ? `${base} refers to ${owner} over two default paths`
        : `${base} does not refer to ${owner}: an aggregate in a row formula counts rows that refer to the row`,
    );
    return false;
  }

  private aggregateType(
    node: AggregateCall,
    name: (typeof AGGREGATES)[number],
    arg: Typed | undefined,
    by: Typed | undefined,
  ): DataType | undefined {
    if (node.distinct && name !== 'count') return this.fault(node, `distinct belongs to count: ${name}(distinct …) is not known`);
    if (name === 'count' || !arg) return name === 'count' ? INTEGER : this.fault(node, `${name} needs a column, not a table`);
    return this.resultType(name, node.arg, arg, by);
  }

  private resultType(name: (typeof AGGREGATES)[number], argNode: Expression, arg: Typed, _by?: Typed): DataType | undefined {
    switch (name) {
      case 'count':
        return INTEGER;
      case 'min':
      case 'max':
      case 'latest':
      case 'earliest':
      case 'only':
        return arg.type ?? TEXT;
      default: {
        if (arg.type !== null && !isNumeric(arg.type)) return this.fault(argNode, `${name} needs a number, ${this.describe(argNode, arg)}`);
        if (name !== 'sum') return DOUBLE;
        return arg.type?.kind === 'decimal' ? decimal(38, arg.type.scale) : (arg.type ?? INTEGER);
      }
    }
  }

  /** agg(M per columns) */
  private per(node: AggregateCall, name: (typeof AGGREGATES)[number]): Typed | undefined {
    if (node.from || node.filter || node.by || node.distinct)
      this.fault(node, 'an aggregate with per takes no distinct, by, from or filter');
    const arg = this.expression(node.arg, { rows: false });
    const columns = node.per!.map((target) => this.targetColumn(target));
    if (!arg || columns.some((c) => !c)) return undefined;
    for (const base of this.checker.basesOf(arg)) {
      for (const [i, column] of (columns as ColumnName[]).entries()) this.checkReaches(base, column, node.per![i]!, this.via);
    }
    const type = this.resultType(name, node.arg, arg);
    return (
      type && { kind: 'per', aggregate: name, arg, columns: columns as ColumnName[], type, span: { start: node.start, end: node.end } }
    );
  }

  // ---------- context ----------

  private context(operandNode: Expression, words: readonly ContextWord[], place: Place, span: Span): Typed | undefined {
    if (place.rows) {
      this.expression(operandNode, place);
      return this.fault(words[0]!, `${words[0]!.word} belongs to measures: a row formula has no context to change`);
    }
    const via = words.find((w) => w.word === 'via');
    const outer = this.via;
    const viaNames = via ? this.relationships(via.relationships) : [];
    this.via = [...outer, ...viaNames];
    const operand = this.expression(operandNode, place);
    const typed: Mutable<TypedWords> = viaNames.length > 0 ? { via: viaNames } : {};
    const bases = operand ? [...this.checker.basesOf(operand)] : [];
    for (const word of words) this.word(word, typed, bases);
    this.via = outer;
    return operand && { kind: 'context', operand, words: typed, type: operand.type, span };
  }

  private relationships(list: readonly Name[]): string[] {
    return list.flatMap((name) => {
      const relationship = this.names.relationship(name.text);
      if (relationship) return [relationship.name.toLowerCase()];
      const near = nearestName(
        name.text,
        (this.names.model.relationships ?? []).map((r) => r.name),
      );
      this.fault(name, `no relationship "${name.text}"${near ? `: did you mean "${near}"?` : ''}`);
      return [];
    });
  }

  private word(word: ContextWord, typed: Mutable<TypedWords>, bases: readonly string[]): void {
    switch (word.word) {
      case 'via':
        return;
      case 'ignoring':
        typed.ignoring = { what: word.what, targets: this.typedTargets(word.targets) };
        return;
      case 'given':
        typed.given = this.typedTargets(word.targets);
        return;
      case 'where': {
        const condition = this.truth(word.condition, { rows: true, aggregates: false });
        if (!condition) return;
        this.checkConditionReaches(condition, bases, word.condition);
        typed.where = condition;
        return;
      }
      case 'over': {
        const calendar = this.calendarOf(word.calendar, bases, word);
        if (calendar !== undefined) typed.over = { period: word.period, calendar };
        return;
      }
      case 'at': {
        const column = this.targetColumn(word.column);
        const per = (word.per ?? []).flatMap((target) => this.perColumns(target));
        if (!column) return;
        for (const base of bases) {
          if (this.checkLookup(base, column.table, word.column)) this.checkReaches(base, column, word.column, this.via);
          for (const c of per) this.checkReaches(base, c, word, this.via);
        }
        typed.at = { which: word.which, column, per };
      }
    }
  }

  /** `per t` stands for the key of t. */
  private perColumns(target: Target): ColumnName[] {
    if (target.column) {
      const column = this.targetColumn(target);
      return column ? [column] : [];
    }
    const table = this.names.table(target.table.text);
    if (table?.key?.length) return table.key.map((column) => ({ table: table.name, column }));
    this.fault(target, table ? `${table.name} has no key: name a column after per` : `no table "${target.table.text}"`);
    return [];
  }

  private typedTargets(targets: readonly Target[]): TypedTarget[] {
    return targets.flatMap((target): TypedTarget[] => {
      if (target.table.text === '') return [];
      if (target.column) {
        const found = this.targetColumn(target);
        return found ? [found] : [];
      }
      const table = this.names.table(target.table.text);
      if (table) return [{ table: table.name }];
      const near = nearestName(
        target.table.text,
        this.names.model.tables.map((t) => t.name),
      );
      this.fault(target, `no table "${target.table.text}"${near ? `: did you mean "${near}"?` : ''}`);
      return [];
    });
  }

  private targetColumn(target: Target): ColumnName | undefined {
    if (!target.column)
      return target.table.text === '' ? undefined : this.fault(target, `a column is needed here: write ${target.table.text}.column`);
    if (target.column.text === '' || target.table.text === '') return undefined;
    const found = this.resolveColumn(target.table, target.column, target);
    if (!found) return undefined;
    this.usedColumns.set(`${found.table.name}.${found.column}`.toLowerCase(), { table: found.table.name, column: found.column });
    return { table: found.table.name, column: found.column };
  }

  private checkConditionReaches(condition: Typed, bases: readonly string[], span: Span): void {
    for (const base of bases) for (const column of columnsOf(condition)) if (!this.checkReaches(base, column, span, this.via)) return;
  }

  private checkReaches(base: string, column: ColumnName, span: Span, via: readonly string[]): boolean {
    const baseName = this.names.table(base)?.name ?? base;
    const route = this.checker.reach.route(base, column.table, via);
    if (!route || route.kind === 'ambiguous') {
      this.fault(
        span,
        route
          ? `${column.table} reaches ${baseName} over two default paths (${route.paths.map(pathText).join('; ')})`
          : `${column.table}.${column.column} does not reach ${baseName}: no relationship leads from ${baseName} to ${column.table}`,
      );
      return false;
    }
    const problem = this.columnProblem(base, column, via);
    if (problem) this.fault(span, problem);
    return !problem;
  }

  /** Why a column beyond a level does not reach the base table, if it does not. */
  private columnProblem(base: string, column: ColumnName, via: readonly string[] = this.via): string | undefined {
    return levelProblem(this.checker, base, column, via)
      ? `${column.table}.${column.column} does not reach ${this.names.table(base)?.name ?? base}: it is finer than the level that ${base} refers to`
      : undefined;
  }

  private calendarOf(named: Name | undefined, bases: readonly string[], span: Span): string | undefined {
    const calendars = (this.names.model.calendars ?? []).map((c) => c.table);
    if (named) {
      const calendar = calendars.find((c) => sameName(c, named.text));
      if (!calendar) {
        const near = nearestName(named.text, calendars);
        return this.fault(named, `"${named.text}" is no calendar of the model${near ? `: did you mean "${near}"?` : ''}`);
      }
      for (const base of bases) if (!this.checkLookup(base, calendar, span)) return undefined;
      return calendar;
    }
    for (const base of bases) {
      const near = calendars.filter((c) => this.checker.reach.lookup(base, c, this.via));
      const name = this.names.table(base)?.name ?? base;
      if (near.length === 0) {
        const ambiguous = calendars.find((c) => this.checker.reach.route(base, c, this.via)?.kind === 'ambiguous');
        return this.fault(
          span,
          ambiguous
            ? `${name} leads to ${ambiguous} over two default paths: name one with via`
            : `${name} has no calendar: over needs a calendar that ${name} refers to`,
        );
      }
      if (near.length > 1) return this.fault(span, `${name} refers to several calendars: write in ${near.join(' or in ')} inside of over`);
    }
    const found = new Set(bases.map((base) => calendars.find((c) => this.checker.reach.lookup(base, c, this.via))!));
    if (found.size > 1)
      return this.fault(
        span,
        `the facts of this measure refer to different calendars (${[...found].join(', ')}): use over on each of them`,
      );
    return [...found][0] ?? this.fault(span, 'over needs rows that refer to a calendar');
  }

  private withSteps(node: Extract<Expression, { kind: 'with' }>, place: Place): Typed | undefined {
    if (place.rows) return this.fault(node, 'with … select belongs to measures');
    const before = this.steps;
    for (const step of node.steps) {
      if (this.steps.some((s) => sameName(s.name, step.name.text))) this.fault(step.name, `there are two steps "${step.name.text}"`);
      this.steps = [...this.steps, { name: step.name.text, typed: this.expression(step.value, place) }];
    }
    const body = this.expression(node.body, place);
    this.steps = before;
    return body;
  }

  /** Brings a value to a type that holds it; undefined where that would need a cast. */
  private coerce(node: Typed, to: DataType): Typed | undefined {
    if (node.type === null)
      return node.kind === 'constant' ? { ...node, type: to } : { kind: 'convert', operand: node, cast: false, type: to, span: node.span };
    if (node.type.kind === to.kind && scaleOf(node.type) === scaleOf(to)) return node;
    if (isExact(node.type) && (to.kind === 'double' || (isExact(to) && scaleOf(to) >= scaleOf(node.type))))
      return { kind: 'convert', operand: node, cast: false, type: to, span: node.span };
    // A computed column may be declared with fewer decimals than its formula has: it is rounded like a cast.
    if (isExact(node.type) && to.kind === 'decimal') return { kind: 'convert', operand: node, cast: true, type: to, span: node.span };
    return undefined;
  }
}

type Mutable<T> = { -readonly [K in keyof T]: T[K] };

const pathText = (path: Path): string => path.map((r) => r.name).join(', ') || 'itself';

/** Whether a column lies beyond a level to which the path refers, and is finer than it. Without data, columns are taken to be coarse enough. */
export function levelProblem(checker: FormulaChecker, base: string, column: ColumnName, via: readonly string[]): boolean {
  const route = checker.reach.route(base, column.table, via);
  if (!route || route.kind === 'ambiguous') return false;
  const path = [...('anchor' in route ? route.anchor : []), ...route.path];
  const at = path.findIndex((r) => cardinalityOf(r) === 'many-to-level');
  if (at < 0 || !checker.oracle) return false;
  const level = path[at]!;
  const beyond = path[at + 1];
  // Behind the level, the column that leads on must itself be determined.
  const wanted = beyond ? beyond.from.columns : sameName(level.to.table, column.table) ? [column.column] : [];
  return wanted.some(
    (name) => !level.to.columns.some((c) => sameName(c, name)) && !checker.oracle!.determines(level.to.table, level.to.columns, name),
  );
}
