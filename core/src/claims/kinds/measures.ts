import type { FormulaChecker, Typed } from '../../formula/index.ts';
import { operandsOf, quotePath } from '../../formula/index.ts';
import { sameName } from '../../model/index.ts';
import type { ClaimKind } from '../claim.ts';
import { claimOf, unchecked } from '../claim.ts';

/** Parts of a scalar operation or a context, without going into measures. */
const partsOf = (node: Typed): readonly Typed[] => (node.kind === 'context' ? [node.operand] : operandsOf(node));

export const snapshotMeasure: ClaimKind = {
  kind: 'snapshot-measure',
  weight: 'blocks',
  documentation:
    "A measure, or one that it rests on, adds a periodic snapshot up over time: no `at last` or `at first` on the snapshot's date, nor an average per unit of it.",
  list: ({ model, checker }) => {
    const snapshots = model.tables.filter((t) => t.snapshot);
    return (model.measures ?? []).flatMap((m) => {
      const typed = checker.measure(m.name)?.typed;
      const touched = snapshots.filter((t) => typed && checker.basesOf(typed).has(t.name.toLowerCase()));
      const broken =
        checker.measure(m.name)?.typed === undefined && snapshots.some((t) => m.table !== undefined && sameName(t.name, m.table));
      if (touched.length === 0 && !broken) return [];
      return [
        claimOf(snapshotMeasure, m.name, `${m.name} does not add ${touched.map((t) => t.name).join(', ') || m.table} up over time`, {
          about: [{ measure: m.name }],
          judge: (data) => {
            const tree = data.checker.measure(m.name)?.typed;
            if (!tree) return unchecked(`waits for formula-valid:${m.name}`);
            const added = [...new Set(addedSnapshots(data.checker, tree, []))];
            return {
              verdict: added.length ? 'broken' : 'holds',
              evidence: {
                checked: 1,
                against: added.length,
                ...(added.length
                  ? { notes: [`${added.join(', ')} is counted anew at each date: its rows must not be added over time`] }
                  : {}),
              },
            };
          },
          remedies: () =>
            touched.map((t) => {
              // What stands alone needs no parentheses before the words of a context.
              const alone = typed?.kind === 'aggregate' || typed?.kind === 'measure';
              // A remark to the end of the line must not swallow what follows.
              const own = m.formula.includes('--') ? `${m.formula}\n` : m.formula;
              const formula = `${alone ? own : `(${own})`} at last ${quotePath(t.name, t.snapshot!)}`;
              return {
                id: `at-last-${t.name}`,
                title: `Take the last ${t.snapshot} of each context`,
                effect: `The formula becomes ${formula}.`,
                edit: [{ do: 'put-measures', name: m.name, value: { ...m, formula } }],
              };
            }),
        }),
      ];
    });
  },
};

/** Snapshot tables (by name) whose rows are summed over time. `pinned` are those whose date a surrounding word has settled. */
function addedSnapshots(checker: FormulaChecker, node: Typed, pinned: readonly string[]): string[] {
  switch (node.kind) {
    case 'aggregate': {
      const table = checker.names.table(node.base)!;
      const adds = node.aggregate === 'sum' && table.snapshot && !pinned.includes(table.name);
      return adds ? [table.name] : [];
    }
    case 'measure':
      return addedSnapshots(checker, checker.measure(node.name)!.typed!, pinned);
    case 'context': {
      const { at } = node.words;
      const settled = at
        ? checker.model.tables.filter((t) => t.snapshot && isDateOf(checker, t.name, t.snapshot, at.column)).map((t) => t.name)
        : [];
      return addedSnapshots(checker, node.operand, [...pinned, ...settled]);
    }
    case 'per': {
      const settled =
        node.aggregate === 'sum'
          ? []
          : checker.model.tables
              .filter((t) => t.snapshot && node.columns.some((c) => isDateOf(checker, t.name, t.snapshot!, c)))
              .map((t) => t.name);
      return addedSnapshots(checker, node.arg, [...pinned, ...settled]);
    }
    default:
      return partsOf(node).flatMap((part) => addedSnapshots(checker, part, pinned));
  }
}

/** Whether a column is the snapshot's date, or a column of the calendar that it refers to. */
function isDateOf(checker: FormulaChecker, table: string, date: string, column: { table: string; column: string }): boolean {
  if (sameName(column.table, table)) return sameName(column.column, date);
  return (checker.model.relationships ?? []).some(
    (r) =>
      sameName(r.from.table, table) &&
      r.from.columns.some((name) => sameName(name, date)) &&
      (sameName(r.to.table, column.table) || checker.reach.lookup(r.to.table, column.table) !== undefined),
  );
}

export const missingSide: ClaimKind = {
  kind: 'missing-side',
  weight: 'warns',
  documentation:
    'A measure adds or subtracts aggregates of different facts without `coalesce` on each: a missing side makes the result null.',
  list: ({ model }) =>
    (model.measures ?? []).map((m) =>
      claimOf(missingSide, m.name, `${m.name} has a value where one of its facts has no rows`, {
        about: [{ measure: m.name }],
        judge: (data) => {
          const tree = data.checker.measure(m.name)?.typed;
          if (!tree) return unchecked(`waits for formula-valid:${m.name}`);
          const sides = bareSum(data.checker, tree)?.sides;
          return {
            verdict: sides ? 'broken' : 'holds',
            evidence: {
              checked: 1,
              against: sides ? 1 : 0,
              ...(sides ? { notes: [`where ${sides.join(' or ')} has no rows the result is null: put each side in coalesce(…, 0)`] } : {}),
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
      (text, { span }) => `${text.slice(0, span.start)}coalesce(${text.slice(span.start, span.end)}, 0)${text.slice(span.end)}`,
      formula,
    );
}

/** A sum or difference of which one side may be null on its own, and the facts of its sides; undefined where there is none. Own formula only. */
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
    return node.args.some((arg) => nullableBases(checker, arg).size === 0 && !(arg.kind === 'constant' && arg.value === null))
      ? new Set()
      : nullableBases(checker, node.args.at(-1)!);
  }
  return new Set(partsOf(node).flatMap((part) => [...nullableBases(checker, part)]));
}
