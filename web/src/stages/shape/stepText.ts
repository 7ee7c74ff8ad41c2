import type { Lookup } from '@crease/core/shape';
import type { Step } from './steps.ts';
import { argumentOf, verbOf } from './steps.ts';

const few = (names: readonly string[], most = 4): string =>
  names.length <= most
    ? names.join(', ')
    : `${names.slice(0, most - 1).join(', ')} and ${names.length - most + 1} more`;
const picked = (columns: readonly (string | { column: string; as: string })[]): string[] =>
  columns.map((c) => (typeof c === 'string' ? c : c.column === c.as ? c.as : `${c.column} as ${c.as}`));

/** What a step does, in a line. */
export function stepText(step: Step): string {
  const argument = argumentOf(step);
  switch (verbOf(step)) {
    case 'from':
      return `the rows of ${String(argument)}`;
    case 'filter':
      return `rows where ${String(argument)}`;
    case 'pick':
      return few(picked(argument as []));
    case 'derive': {
      const { name, formula } = argument as { name: string; formula: string };
      return `${name} = ${formula}`;
    }
    case 'distinct':
      return 'equal rows once';
    case 'aggregate': {
      const { by, columns } = argument as { by: string[]; columns: Record<string, string> };
      const made = Object.entries(columns).map(([name, formula]) => `${name} = ${formula}`);
      return `${by.length === 0 ? 'one row' : `one row per ${few(by)}`}${made.length > 0 ? `: ${few(made, 3)}` : ''}`;
    }
    case 'join': {
      const { table, kind, on, columns } = argument as {
        table: string;
        kind: string;
        on: [string, string][];
        columns?: [];
      };
      const keys = on.map(([a, b]) => (a === b ? a : `${a} = ${b}`)).join(' and ');
      return `${kind}, with ${table} on ${keys}${columns ? `, adds ${few(picked(columns))}` : ''}`;
    }
    case 'lookup': {
      const { table, on, columns, valid, newest } = argument as Lookup;
      const keys = on.map(([a, b]) => (a === b ? a : `${a} = ${b}`)).join(' and ');
      const which = newest
        ? `, the newest by ${newest}`
        : valid?.to !== undefined
          ? `, valid on ${valid.at}`
          : valid
            ? `, the newest up to ${valid.at}`
            : '';
      return `${few(picked(columns))} in ${table} by ${keys}${which}`;
    }
    case 'union':
      return `and the rows of ${few(argument as string[])}`;
    case 'sort':
      return `by ${few((argument as (string | { of: string; order?: string })[]).map((s) => (typeof s === 'string' ? s : `${s.of} ${s.order ?? ''}`.trim())))}`;
    case 'number':
      return `${String(argument)} = 1, 2, 3 …`;
    default:
      return JSON.stringify(argument);
  }
}
