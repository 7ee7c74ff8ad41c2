import type { DataType } from '../values/index.ts';
import type { Expression } from './expression.ts';
import { notOffered, wrong } from './odataError.ts';

/** A property as a formula writes it, and its type; undefined for one that there is not. */
export type Properties = (
  name: string,
) => { readonly formula: string; readonly type: DataType | null } | undefined;

interface Made {
  readonly text: string;
  /** Whether it is a whole number: `div` is another operation then. */
  readonly isInteger: boolean;
}

const plain = (text: string): Made => ({ text, isInteger: false });
const integer = (text: string): Made => ({ text, isInteger: true });
const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`;

const ARITHMETIC = { add: '+', sub: '-', mul: '*' } as const;
const COMPARED = { gt: '>', ge: '>=', lt: '<', le: '<=' } as const;

/** Functions with their arguments' number, as a formula says them (URL Conventions 4.01, 5.1.1.4 and on). */
const FUNCTIONS: Readonly<
  Record<string, readonly [least: number, most: number, say: (args: string[]) => Made]>
> = {
  contains: [2, 2, ([x, part]) => plain(`coalesce(position(${part}, ${x}) > 0, false)`)],
  startswith: [
    2,
    2,
    ([x, part]) => plain(`coalesce(substring(${x}, 1, char_length(${part})) = ${part}, false)`),
  ],
  endswith: [
    2,
    2,
    ([x, part]) =>
      plain(
        `coalesce(char_length(${x}) >= char_length(${part}) and substring(${x}, char_length(${x}) - char_length(${part}) + 1) = ${part}, false)`,
      ),
  ],
  length: [1, 1, ([x]) => integer(`char_length(${x})`)],
  indexof: [2, 2, ([x, part]) => integer(`(position(${part}, ${x}) - 1)`)],
  substring: [
    2,
    3,
    ([x, from, count]) => plain(`substring(${x}, ${from} + 1${count === undefined ? '' : `, ${count}`})`),
  ],
  tolower: [1, 1, ([x]) => plain(`lower(${x})`)],
  toupper: [1, 1, ([x]) => plain(`upper(${x})`)],
  trim: [1, 1, ([x]) => plain(`trim(${x})`)],
  concat: [2, 2, ([a, b]) => plain(`(${a} || ${b})`)],
  round: [1, 1, ([x]) => plain(`round(${x})`)],
  floor: [1, 1, ([x]) => plain(`floor(${x})`)],
  ceiling: [1, 1, ([x]) => plain(`ceiling(${x})`)],
  date: [1, 1, ([x]) => plain(`cast(${x} as date)`)],
  ...Object.fromEntries(
    ['year', 'month', 'day', 'hour', 'minute', 'second'].map(
      (part) => [part, [1, 1, ([x]: string[]) => integer(`extract(${part} from ${x})`)]] as const,
    ),
  ),
};

/**
 * A condition of OData as a row formula. It has OData's own meaning of null: two nulls are equal, a
 * comparison with null is false and not unknown (URL Conventions 4.01, 5.1.1.1).
 */
export function formulaOf(expression: Expression, properties: Properties): string {
  return say(expression, properties).text;
}

function say(node: Expression, properties: Properties): Made {
  switch (node.kind) {
    case 'literal':
      return sayLiteral(node);
    case 'property': {
      const found = properties(node.name);
      if (!found) throw wrong(`there is no property ${node.name}`);
      return { text: found.formula, isInteger: found.type?.kind === 'integer' };
    }
    case 'unary': {
      const { text, isInteger } = say(node.operand, properties);
      return node.operator === 'not' ? plain(`(not ${text})`) : { text: `(- ${text})`, isInteger };
    }
    case 'in':
      return sayIn(node, properties);
    case 'call':
      return sayCall(node, properties);
    case 'binary':
      return sayBinary(node, properties);
  }
}

function sayLiteral({ type, text }: Extract<Expression, { kind: 'literal' }>): Made {
  if (type === 'text') return plain(quoted(text));
  if (type === 'date') return plain(`date '${text}'`);
  if (type === 'timestamp') {
    const at = new Date(text);
    if (Number.isNaN(at.getTime())) throw wrong(`${text} is no moment`);
    return plain(`timestamp '${at.toISOString().replace('T', ' ').replace('Z', '')}'`);
  }
  return { text, isInteger: type === 'integer' };
}

const isNull = (node: Expression): boolean => node.kind === 'literal' && node.type === 'null';

function sayIn({ operand, list }: Extract<Expression, { kind: 'in' }>, properties: Properties): Made {
  const { text } = say(operand, properties);
  const values = list.filter((one) => !isNull(one)).map((one) => say(one, properties).text);
  const parts = [
    ...(values.length > 0 ? [`coalesce(${text} in (${values.join(', ')}), false)`] : []),
    ...(values.length < list.length ? [`${text} is null`] : []),
  ];
  return plain(`(${parts.join(' or ')})`);
}

function sayCall({ name, args }: Extract<Expression, { kind: 'call' }>, properties: Properties): Made {
  const known = Object.hasOwn(FUNCTIONS, name) ? FUNCTIONS[name] : undefined;
  if (!known) throw notOffered(`the function ${name}`);
  const [least, most, made] = known;
  if (args.length < least || args.length > most)
    throw wrong(`${name} takes ${least === most ? least : `${least} or ${most}`} arguments`);
  return made(args.map((arg) => say(arg, properties).text));
}

function sayBinary(
  { operator, left, right }: Extract<Expression, { kind: 'binary' }>,
  properties: Properties,
): Made {
  if (operator === 'eq' || operator === 'ne') {
    const other = isNull(right) ? left : isNull(left) ? right : undefined;
    const not = operator === 'ne' ? 'not ' : '';
    if (other) return plain(`(${say(other, properties).text} is ${not}null)`);
  }
  const [a, b] = [say(left, properties), say(right, properties)];
  switch (operator) {
    case 'and':
    case 'or':
      return plain(`(${a.text} ${operator} ${b.text})`);
    case 'eq':
      return plain(`(${a.text} is not distinct from ${b.text})`);
    case 'ne':
      return plain(`(${a.text} is distinct from ${b.text})`);
    case 'gt':
    case 'ge':
    case 'lt':
    case 'le':
      return plain(`coalesce(${a.text} ${COMPARED[operator]} ${b.text}, false)`);
    case 'add':
    case 'sub':
    case 'mul':
      return {
        text: `(${a.text} ${ARITHMETIC[operator]} ${b.text})`,
        isInteger: a.isInteger && b.isInteger,
      };
    case 'div':
      return a.isInteger && b.isInteger
        ? integer(`div(${a.text}, ${b.text})`)
        : plain(`(${a.text} / ${b.text})`);
    case 'divby':
      return plain(`(${a.text} / ${b.text})`);
    case 'mod':
      return { text: `mod(${a.text}, ${b.text})`, isInteger: a.isInteger && b.isInteger };
  }
}
