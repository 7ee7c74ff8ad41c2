import type { Expression, Name, Target } from './tree.ts';

/**
 * A place where a formula names something. `alone` is a bare name: a measure, a step, a table to count, or a
 * column of the formula's own table.
 */
export type Place =
  | { readonly role: 'table' | 'relationship'; readonly name: Name }
  | { readonly role: 'column'; readonly name: Name; readonly table: string }
  | { readonly role: 'alone'; readonly name: Name; readonly argument: boolean; readonly step: boolean };

function* ofTargets(targets: readonly Target[]): Generator<Place> {
  for (const { table, column } of targets) {
    yield { role: 'table', name: table };
    if (column) yield { role: 'column', name: column, table: table.text };
  }
}

/**
 * All places where a formula names something, in no particular order; functions and the names that steps have
 * are none.
 */
export function* placesIn(
  node: Expression,
  argument = false,
  steps: ReadonlySet<string> = new Set(),
): Generator<Place> {
  const inside = (child: Expression | undefined): Iterable<Place> =>
    child ? placesIn(child, false, steps) : [];
  switch (node.kind) {
    case 'name': {
      const [first, second] = node.parts as [Name, Name | undefined];
      if (second) yield* ofTargets([{ start: node.start, end: node.end, table: first, column: second }]);
      else yield { role: 'alone', name: first, argument, step: steps.has(first.text.toLowerCase()) };
      return;
    }
    case 'aggregate':
      yield* placesIn(node.arg, node.name.text.toLowerCase() === 'count', steps);
      yield* inside(node.by);
      yield* ofTargets(node.per ?? []);
      if (node.from) yield { role: 'table', name: node.from };
      yield* inside(node.filter);
      return;
    case 'context':
      yield* inside(node.operand);
      for (const word of node.words) {
        if (word.word === 'where') yield* inside(word.condition);
        else if (word.word === 'ignoring' || word.word === 'given') yield* ofTargets(word.targets);
        else if (word.word === 'via')
          for (const name of word.relationships) yield { role: 'relationship', name };
        else if (word.word === 'at') yield* ofTargets([word.column, ...(word.per ?? [])]);
        else if (word.calendar) yield { role: 'table', name: word.calendar };
      }
      return;
    case 'with': {
      const known = new Set(steps);
      for (const step of node.steps) {
        yield* placesIn(step.value, false, known);
        known.add(step.name.text.toLowerCase());
      }
      yield* placesIn(node.body, false, known);
      return;
    }
    case 'parenthesised':
      yield* placesIn(node.inner, argument, steps);
      return;
    default:
      for (const child of childrenOf(node)) yield* inside(child);
  }
}

function childrenOf(node: Expression): readonly (Expression | undefined)[] {
  switch (node.kind) {
    case 'unary':
    case 'is-null':
    case 'cast':
      return [node.operand];
    case 'binary':
    case 'is-distinct':
      return [node.left, node.right];
    case 'in':
      return [node.operand, ...node.list];
    case 'between':
      return [node.operand, node.low, node.high];
    case 'like':
      return [node.operand, node.pattern];
    case 'case':
      return [node.subject, ...node.branches.flatMap(({ when, then }) => [when, then]), node.otherwise];
    case 'call':
      return node.args;
    default:
      return [];
  }
}
