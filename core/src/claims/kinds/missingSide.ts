import type { FormulaChecker, Typed } from '../../formula/index.ts';
import type { ClaimKind } from '../claim.ts';
import { claimOf, restsOn } from '../claim.ts';
import { partsOf } from './common.ts';

export const missingSide: ClaimKind = {
  kind: 'missing-side',
  weight: 'warns',
  subject: 'measure',
  example:
    '`missing-side:Loans less visits`: it has a value where one of its facts has no rows; `sum(loan.copies) - sum(visit.visitors)` breaks it.',
  documentation:
    'A measure adds or subtracts aggregates of different facts without `coalesce` on each: a missing side makes the result null.',
  list: ({ model }) =>
    (model.measures ?? []).map((m) =>
      claimOf(missingSide, m.name, `${m.name} has a value where one of its facts has no rows`, {
        ref: { measure: m.name },
        about: [{ measure: m.name }],
        found: () => `${m.name} is null where one of its facts has no rows`,
        judge: (data) => {
          const tree = data.checker.measure(m.name)?.typed;
          if (!tree) return restsOn(`formula-valid:${m.name}`);
          const sides = bareSum(data.checker, tree)?.sides;
          return {
            verdict: sides ? 'broken' : 'holds',
            evidence: {
              checked: 1,
              against: sides ? 1 : 0,
              ...(sides
                ? {
                    notes: [
                      `where ${sides.join(' or ')} has no rows the result is null: put each side in coalesce(…, 0)`,
                    ],
                  }
                : {}),
            },
          };
        },
        remedies: (_, data) => {
          const tree = data?.checker.measure(m.name)?.typed;
          const found = tree && bareSum(data!.checker, tree);
          if (!found) return [];
          const formula = withCoalesce(data!.checker, m.formula, found.node);
          return [
            {
              id: 'coalesce-sides',
              title: 'Take a missing side as 0',
              effect: `The formula becomes ${formula}.`,
              edit: [{ do: 'put-measures', name: m.name, value: { ...m, formula } }],
            },
          ];
        },
      }),
    ),
};

type Sum = Extract<Typed, { kind: 'apply' }>;

/** The formula with both sides of a sum in `coalesce(…, 0)`, as far as they may be null. */
function withCoalesce(checker: FormulaChecker, formula: string, sum: Sum): string {
  return [...sum.args]
    .sort((a, b) => b.span.start - a.span.start)
    .filter((arg) => nullableBases(checker, arg).size > 0)
    .reduce(
      (text, { span }) =>
        `${text.slice(0, span.start)}coalesce(${text.slice(span.start, span.end)}, 0)${text.slice(span.end)}`,
      formula,
    );
}

/**
 * A sum or difference of which one side may be null on its own, and the facts of its sides; undefined where
 * there is none. Own formula only.
 */
function bareSum(checker: FormulaChecker, node: Typed): { node: Sum; sides: string[] } | undefined {
  if (node.kind === 'apply' && (node.name === '+' || node.name === '-')) {
    const [left, right] = [nullableBases(checker, node.args[0]!), nullableBases(checker, node.args[1]!)];
    const all = [checker.basesOf(node.args[0]!), checker.basesOf(node.args[1]!)];
    const differ = [...all[0]!].some((b) => !all[1]!.has(b)) || [...all[1]!].some((b) => !all[0]!.has(b));
    if (all[0]!.size > 0 && all[1]!.size > 0 && differ && (left.size > 0 || right.size > 0)) {
      return { node, sides: [...new Set([...left, ...right])].map((b) => checker.names.table(b)?.name ?? b) };
    }
  }
  const inner = node.kind === 'per' ? [node.arg] : partsOf(node);
  for (const part of inner) {
    const found = bareSum(checker, part);
    if (found) return found;
  }
  return undefined;
}

/** Base tables whose lack of rows makes a node null. */
function nullableBases(checker: FormulaChecker, node: Typed): Set<string> {
  if (node.kind === 'aggregate') return new Set(node.aggregate === 'count' ? [] : [node.base.toLowerCase()]);
  if (node.kind === 'measure') return nullableBases(checker, checker.measure(node.name)!.typed!);
  if (node.kind === 'per') return node.aggregate === 'count' ? new Set() : nullableBases(checker, node.arg);
  if (node.kind === 'apply' && node.name === 'coalesce') {
    return node.args.some(
      (arg) => nullableBases(checker, arg).size === 0 && !(arg.kind === 'constant' && arg.value === null),
    )
      ? new Set()
      : nullableBases(checker, node.args.at(-1)!);
  }
  return new Set(partsOf(node).flatMap((part) => [...nullableBases(checker, part)]));
}
