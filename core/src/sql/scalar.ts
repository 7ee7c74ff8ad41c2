import type { DataType } from '../values/index.ts';
import { TEXT } from '../values/index.ts';
import type { Value } from '../values/index.ts';
import type { Typed } from '../formula/index.ts';
import type { SqlDialect, SqlOperand } from './dialect.ts';

export interface ScalarSetting {
  readonly dialect: SqlDialect;
  /** Enters a value and gives the SQL that stands for it. */
  value(value: Value, type: DataType): string;
}

/**
 * The scalar part of a checked formula as SQL; `leaf` gives the SQL of columns, aggregates, measures and
 * contexts.
 */
export function scalarSql(node: Typed, setting: ScalarSetting, leaf: (node: Typed) => string): string {
  const { dialect } = setting;
  const sql = (n: Typed): string => scalarSql(n, setting, leaf);
  // Made when first asked for: a unit or a number of digits is no value of the statement.
  const operand = (n: Typed): SqlOperand => {
    let made: string | undefined;
    return {
      get sql() {
        return (made ??= sql(n));
      },
      type: n.type ?? TEXT,
      ...(n.kind === 'constant' ? { constant: n.value } : {}),
    };
  };
  switch (node.kind) {
    case 'constant':
      if (node.value === null) return 'null';
      if (typeof node.value === 'boolean') return node.value ? dialect.true : dialect.false;
      return setting.value(node.value, node.type!);
    case 'apply':
      return dialect.apply(node.name, node.args.map(operand), node.type!);
    case 'convert':
      return node.operand.type === null ? 'null' : dialect.convert(operand(node.operand), node.type!);
    case 'logic':
      return `(${sql(node.left)} ${node.operator} ${sql(node.right)})`;
    case 'not':
      return `(not ${sql(node.operand)})`;
    case 'compare':
      return `(${ordered(node.left)} ${node.operator} ${ordered(node.right)})`;
    case 'is-null':
      return `(${sql(node.operand)} is ${node.not ? 'not ' : ''}null)`;
    case 'is-distinct':
      return `(${sql(node.left)} is ${node.not ? 'not ' : ''}distinct from ${sql(node.right)})`;
    case 'in':
      if (node.list.length === 0) return node.not ? dialect.true : dialect.false;
      return `(${sql(node.operand)} ${node.not ? 'not ' : ''}in (${node.list.map(sql).join(', ')}))`;
    case 'like': {
      const like = dialect.like(sql(node.operand), sql(node.pattern));
      return node.not ? `(not ${like})` : like;
    }
    case 'case': {
      const branches = node.branches.map(({ when, then }) => `when ${sql(when)} then ${sql(then)}`).join(' ');
      return `case ${branches}${node.otherwise ? ` else ${sql(node.otherwise)}` : ''} end`;
    }
    default:
      return leaf(node);
  }

  function ordered(n: Typed): string {
    return dialect.ordered(sql(n), n.type ?? TEXT);
  }
}
