import type { ColumnName, FormulaChecker, Typed } from '../../formula/index.ts';
import { quotePath } from '../../formula/index.ts';
import type { Relationship, Table } from '../../model/index.ts';
import { sameName } from '../../model/index.ts';
import type { Claim, ClaimKind } from '../claim.ts';
import { claimOf, restsOn } from '../claim.ts';
import type { Asked } from '../judging.ts';
import { askCount } from '../judging.ts';
import { formulaParts, partsOf } from './common.ts';

export const snapshotMeasure: ClaimKind = {
  kind: 'snapshot-measure',
  weight: 'blocks',
  subject: 'measure',
  example:
    '`snapshot-measure:In stock`: it does not add `stock` up over time; `sum(stock.copies)` without `at last stock.day` breaks it.',
  documentation:
    "A measure, or one that it rests on, adds a periodic snapshot up over time: no `at last` or `at first` on the snapshot's date, nor an average per unit of it.",
  list: ({ model, checker }) => {
    const snapshots = model.tables.filter((t) => t.snapshot);
    return (model.measures ?? []).flatMap((m) => {
      const typed = checker.measure(m.name)?.typed;
      const touched = snapshots.filter((t) => typed && checker.basesOf(typed).has(t.name.toLowerCase()));
      const broken =
        checker.measure(m.name)?.typed === undefined &&
        snapshots.some((t) => m.table !== undefined && sameName(t.name, m.table));
      if (touched.length === 0 && !broken) return [];
      return [
        claimOf(
          snapshotMeasure,
          m.name,
          `${m.name} does not add ${touched.map((t) => t.name).join(', ') || m.table} up over time`,
          {
            ref: { measure: m.name },
            about: [{ measure: m.name }],
            found: () => `${m.name} adds ${touched.map((t) => t.name).join(', ') || m.table} up over time`,
            ...rowsOfDates(checker, typed, touched),
            judging: function* (facts) {
              const tree = facts.checker.measure(m.name)?.typed;
              if (!tree) return restsOn(`formula-valid:${m.name}`);
              const severalDates = yield* columnsOfSeveralDates(facts.checker, tree, touched);
              const added = [...new Set(addedSnapshots({ checker: facts.checker, severalDates }, tree, []))];
              return {
                verdict: added.length ? 'broken' : 'holds',
                evidence: {
                  checked: 1,
                  against: added.length,
                  ...(added.length
                    ? {
                        notes: [
                          `${added.join(', ')} is counted anew at each date: its rows must not be added over time`,
                        ],
                      }
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
          },
        ),
      ];
    });
  },
};

/**
 * Snapshot tables (by name) whose rows are summed over time. `pinned` are those whose date a surrounding word
 * has settled.
 */
function addedSnapshots(data: Looked, node: Typed, pinned: readonly string[]): string[] {
  const { checker } = data;
  const snapshots = () =>
    checker.model.tables.flatMap((t): Snapshot[] => (t.snapshot ? [{ table: t, date: t.snapshot }] : []));
  const among = (found: Snapshot[]): string[] => found.map(({ table }) => table.name);
  switch (node.kind) {
    case 'aggregate': {
      const table = checker.names.table(node.base)!;
      const adds = node.aggregate === 'sum' && table.snapshot && !pinned.includes(table.name);
      return adds ? [table.name] : [];
    }
    case 'measure':
      return addedSnapshots(data, checker.measure(node.name)!.typed!, pinned);
    case 'context': {
      const { at } = node.words;
      const settled = at ? among(snapshots().filter((s) => isOneDate(data, s, at.column))) : [];
      return addedSnapshots(data, node.operand, [...pinned, ...settled]);
    }
    case 'per': {
      const settled =
        node.aggregate === 'sum'
          ? []
          : among(snapshots().filter((s) => node.columns.some((c) => isOfDate(checker, s, c))));
      return addedSnapshots(data, node.arg, [...pinned, ...settled]);
    }
    default:
      return partsOf(node).flatMap((part) => addedSnapshots(data, part, pinned));
  }
}

interface Snapshot {
  readonly table: Table;
  readonly date: string;
}

/** Whether a column is the snapshot's date, or a column of the calendar that it refers to. */
function isOfDate(checker: FormulaChecker, { table, date }: Snapshot, column: ColumnName): boolean {
  if (sameName(column.table, table.name)) return sameName(column.column, date);
  return calendarsOf(checker, table, date).some(
    (r) => sameName(r.to.table, column.table) || checker.reach.lookup(r.to.table, column.table) !== undefined,
  );
}

const calendarsOf = (checker: FormulaChecker, table: Table, date: string): Relationship[] =>
  (checker.model.relationships ?? []).filter(
    (r) => sameName(r.from.table, table.name) && r.from.columns.some((name) => sameName(name, date)),
  );

/**
 * Whether the last value of a column is that of one date of the snapshot: the date itself and the calendar's
 * day are; a month is where the snapshot was taken once a month, which its rows tell.
 */
function isOneDate(data: Looked, snapshot: Snapshot, column: ColumnName): boolean {
  const { checker } = data;
  if (!isOfDate(checker, snapshot, column)) return false;
  return isTheDate(checker, snapshot, column) || !data.severalDates.has(pairOf(snapshot, column));
}

const isTheDate = (checker: FormulaChecker, { table, date }: Snapshot, column: ColumnName): boolean =>
  sameName(column.table, table.name) ||
  calendarsOf(checker, table, date).some(
    (r) =>
      sameName(r.to.table, column.table) &&
      r.to.columns.length === 1 &&
      sameName(r.to.columns[0]!, column.column),
  );

/** What was found out about rows before the formula is gone through. */
interface Looked {
  readonly checker: FormulaChecker;
  /** Pairs of a snapshot and a column one of whose values has rows of several dates. */
  readonly severalDates: ReadonlySet<string>;
}

const pairOf = ({ table, date }: Snapshot, column: ColumnName): string =>
  JSON.stringify([table.name, date, column.table, column.column]).toLowerCase();

/**
 * Snapshots whose rows have several dates in one value of a column that a measure takes the last of. Rows
 * without a date or a value are in no last one.
 */
function* columnsOfSeveralDates(
  checker: FormulaChecker,
  tree: Typed,
  touched: readonly Table[],
): Generator<Asked, ReadonlySet<string>, unknown> {
  const found = new Set<string>();
  for (const table of touched) {
    const snapshot = { table, date: table.snapshot! };
    for (const column of atColumns(checker, tree)) {
      if (!isOfDate(checker, snapshot, column) || isTheDate(checker, snapshot, column)) continue;
      const parts = [{ table: table.name, column: snapshot.date }];
      const shown = { name: column.column, column };
      const count = { count: 'differing', table: table.name, group: [column], parts, shown } as const;
      if ((yield* askCount(count)).against > 0) found.add(pairOf(snapshot, column));
    }
  }
  return found;
}

/** The rows that are looked at where a measure takes the last of a column that is not the date itself. */
function rowsOfDates(
  checker: FormulaChecker,
  typed: Typed | undefined,
  touched: readonly Table[],
): Pick<Claim, 'tables' | 'columns' | 'parts'> {
  const looked = touched.filter((t) =>
    atColumns(checker, typed).some(
      (c) =>
        isOfDate(checker, { table: t, date: t.snapshot! }, c) &&
        !isTheDate(checker, { table: t, date: t.snapshot! }, c),
    ),
  );
  if (looked.length === 0) return { tables: [], columns: [], parts: null };
  const columns = looked.map((t) => ({ table: t.name, column: t.snapshot! }));
  return {
    tables: looked.map((t) => t.name),
    columns: [...columns, ...atColumns(checker, typed)],
    parts: formulaParts(checker.model),
  };
}

/** Columns of which a formula, or a measure in it, takes the last or the first. */
function atColumns(checker: FormulaChecker, node: Typed | undefined): ColumnName[] {
  if (!node) return [];
  if (node.kind === 'measure') return atColumns(checker, checker.measure(node.name)?.typed);
  const own = node.kind === 'context' && node.words.at ? [node.words.at.column] : [];
  const parts = node.kind === 'per' ? [node.arg] : partsOf(node);
  return [...own, ...parts.flatMap((part) => atColumns(checker, part))];
}
