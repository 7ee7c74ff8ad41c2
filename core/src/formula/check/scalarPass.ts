import {
  BOOLEAN,
  DATE,
  DOUBLE,
  INTEGER,
  TEXT,
  TIMESTAMP,
  decimal,
  formatType,
  nearestName,
  parseExact,
  parseType,
  textReader,
} from '../../values/index.ts';
import type { DataType, Value } from '../../values/index.ts';
import { commonType, needsText } from '../functions/definition.ts';
import { FUNCTIONS, functionNamed, otherwiseNamed } from '../functions/index.ts';
import type { Application } from '../functions/index.ts';
import { arithmetic } from '../operators.ts';
import type { Span } from '../source.ts';
import { AGGREGATES } from '../tree.ts';
import type { AggregateCall, ContextWord, Expression } from '../tree.ts';
import type { Typed } from '../typed.ts';
import { NamePass } from './namePass.ts';
import type { Place } from './place.ts';

/** Scalar expressions: literals, operators, functions, case and cast. */
export abstract class ScalarPass extends NamePass {
  protected abstract aggregate(node: AggregateCall, place: Place): Typed | undefined;

  protected abstract context(
    operandNode: Expression,
    words: readonly ContextWord[],
    place: Place,
    span: Span,
  ): Typed | undefined;

  protected abstract withSteps(node: Extract<Expression, { kind: 'with' }>, place: Place): Typed | undefined;

  top(tree: Expression, wanted?: DataType): Typed | undefined {
    const place: Place =
      this.scope.kind === 'measure'
        ? { rows: false }
        : {
            rows: true,
            aggregates: this.scope.kind === 'row',
            ...(this.scope.kind === 'row' ? { own: this.scope.table } : {}),
          };
    const goesBy = this.scope.kind === 'measure' ? this.scope.via : undefined;
    if (goesBy !== undefined) this.goBy(goesBy);
    const typed = this.expression(tree, place);
    if (goesBy !== undefined && typed) this.checkGoesBy(goesBy, typed);
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

  protected expression(node: Expression, place: Place): Typed | undefined {
    const span = { start: node.start, end: node.end };
    const constant = (value: Value, type: DataType | null): Typed => ({
      kind: 'constant',
      value,
      type,
      span,
    });
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
        return node.operator === 'not'
          ? this.not(node.operand, place, span)
          : this.sign(node.operator, node.operand, place, span);
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
        const [operand, pattern] = [
          this.expression(node.operand, place),
          this.expression(node.pattern, place),
        ];
        if (!operand || !pattern) return undefined;
        const wrong = needsText('like', [
          this.argument(node.operand, operand),
          this.argument(node.pattern, pattern),
        ]);
        return wrong
          ? this.fault(node, wrong)
          : { kind: 'like', operand, pattern, not: node.not, type: BOOLEAN, span };
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

  protected number(text: string, span: Span): Typed | undefined {
    if (/e/i.test(text)) return { kind: 'constant', value: Number(text), type: DOUBLE, span };
    const parsed = parseExact(text)!;
    const type = text.includes('.')
      ? decimal(Math.max(parsed.digits, parsed.scale, 1), parsed.scale)
      : INTEGER;
    return { kind: 'constant', value: parsed.value, type, span };
  }

  protected not(operandNode: Expression, place: Place, span: Span): Typed | undefined {
    const operand = this.truth(operandNode, place);
    return operand && { kind: 'not', operand, type: BOOLEAN, span };
  }

  /** An expression that must be true, false or null. */
  protected truth(node: Expression, place: Place): Typed | undefined {
    const typed = this.expression(node, place);
    if (!typed || typed.type === null || typed.type.kind === 'boolean')
      return typed && this.coerce(typed, BOOLEAN);
    return this.fault(node, `a condition is true or false, ${this.describe(node, typed)}`);
  }

  protected sign(operator: '-' | '+', operandNode: Expression, place: Place, span: Span): Typed | undefined {
    const operand = this.expression(operandNode, place);
    if (!operand) return undefined;
    return this.applied(
      operator === '-' ? 'negate' : 'plus',
      arithmetic(operator === '-' ? 'negate' : 'plus', [this.argument(operandNode, operand)]),
      [operand],
      span,
    );
  }

  protected applied(
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

  protected binary(node: Extract<Expression, { kind: 'binary' }>, place: Place): Typed | undefined {
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

  protected compare(
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
  protected pair(
    leftNode: Expression,
    rightNode: Expression,
    place: Place,
  ): { left: Typed; right: Typed } | undefined {
    const [left, right] = [this.expression(leftNode, place), this.expression(rightNode, place)];
    if (!left || !right) return undefined;
    const type = commonType(left.type, right.type);
    if (type === undefined)
      return this.fault(
        { start: leftNode.start, end: rightNode.end },
        this.cannotCompare(leftNode, left, rightNode, right),
      );
    return { left: this.coerce(left, type ?? TEXT)!, right: this.coerce(right, type ?? TEXT)! };
  }

  protected cannotCompare(leftNode: Expression, left: Typed, rightNode: Expression, right: Typed): string {
    const both = `${this.describe(leftNode, left)} and ${this.describe(rightNode, right)}`;
    const moment = [left, right].find((t) => t.type?.kind === 'date' || t.type?.kind === 'timestamp')?.type;
    const text = [left, right].find((t) => t.type?.kind === 'text');
    if (moment && text) {
      const literal =
        text.kind === 'constant'
          ? String(text.value)
          : moment.kind === 'date'
            ? '2026-03-01'
            : '2026-03-01 10:00:00';
      return `${both}: they cannot be compared; write ${moment.kind} '${literal}'`;
    }
    return `${both}: they cannot be compared; use cast(… as …) on one of them`;
  }

  protected inList(node: Extract<Expression, { kind: 'in' }>, place: Place): Typed | undefined {
    const operand = this.expression(node.operand, place);
    const list = node.list.map((item) => this.expression(item, place));
    if (!operand || list.some((item) => !item)) return undefined;
    let type = operand.type;
    for (const [i, item] of (list as Typed[]).entries()) {
      const common = commonType(type, item.type);
      if (common === undefined)
        return this.fault(node.list[i]!, this.cannotCompare(node.operand, operand, node.list[i]!, item));
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

  protected caseOf(node: Extract<Expression, { kind: 'case' }>, place: Place): Typed | undefined {
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
        return this.fault(
          n,
          `the branches of case are of different types: ${values.map(([m, v]) => this.describe(m, v)).join(', ')}`,
        );
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

  protected cast(node: Extract<Expression, { kind: 'cast' }>, place: Place): Typed | undefined {
    const operand = this.expression(node.operand, place);
    const type = parseType(node.type);
    if (!type)
      return this.fault(
        node.typeSpan,
        `"${node.type}" is no type: integer, decimal(p,s), double, text, boolean, date, timestamp`,
      );
    return (
      operand && { kind: 'convert', operand, cast: true, type, span: { start: node.start, end: node.end } }
    );
  }

  protected call(node: Extract<Expression, { kind: 'call' }>, place: Place): Typed | undefined {
    const definition = functionNamed(node.name.text);
    if (!definition) {
      // It may be a misspelt aggregate: of its arguments only the names are checked.
      node.args.forEach((arg) =>
        this.expression(arg, place.rows ? place : { rows: true, aggregates: false }),
      );
      const { text } = node.name;
      const other = otherwiseNamed(text);
      const near = nearestName(text, [...FUNCTIONS.map((f) => f.name), ...AGGREGATES]);
      const hint = other ? `: write ${other}` : near ? `: did you mean "${near}"?` : '';
      return this.fault(node.name, `no function "${text}"${hint}`);
    }
    const [fewest, most] = definition.arity;
    if (node.args.length < fewest || node.args.length > most) {
      return this.fault(
        node,
        `${definition.name}(${definition.parameters}) takes ${fewest === most ? fewest : `${fewest} to ${most}`} arguments, not ${node.args.length}`,
      );
    }
    const typed = node.args.map((arg, i) =>
      definition.word?.at === i
        ? this.wordArgument(definition.name, definition.word.known, arg)
        : this.expression(arg, place),
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

  protected wordArgument(name: string, known: readonly string[], node: Expression): Typed | undefined {
    const word =
      node.kind === 'name' && node.parts.length === 1 ? node.parts[0]!.text.toLowerCase() : undefined;
    if (word !== undefined && known.includes(word))
      return { kind: 'constant', value: word, type: TEXT, span: node };
    const near = word === undefined ? undefined : nearestName(word, known);
    return this.fault(
      node,
      `${name} takes one of ${known.join(', ')} here${near ? `: did you mean ${near}?` : ''}`,
    );
  }
}
