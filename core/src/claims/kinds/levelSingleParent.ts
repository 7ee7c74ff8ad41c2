import type { ColumnName, FormulaChecker } from '../../formula/index.ts';
import type { Hierarchy } from '../../model/index.ts';
import { sameName } from '../../model/index.ts';
import { levelColumn } from '../../query/index.ts';
import type { ClaimKind, Remedy } from '../claim.ts';
import { claimOf, judged, restsOn } from '../claim.ts';
import type { DifferingCount } from '../counts/index.ts';
import type { Judging, JudgingFacts } from '../judging.ts';
import { askCount } from '../judging.ts';
import { levelReads, levelRef } from './common.ts';
import { counted, rowsText } from './words.ts';

type Level = NonNullable<Hierarchy['levels']>[number];

export const levelSingleParent: ClaimKind = {
  kind: 'level-single-parent',
  weight: 'blocks',
  subject: 'table.hierarchy.level',
  documentation:
    'A member of the level belongs to more than one member of the next level up (null parents apart).',
  example:
    '`level-single-parent:branch.Geography.District`: each District is in one Region; a district with branches in two regions breaks it.',
  list: ({ model, checker }) =>
    (model.hierarchies ?? [])
      .filter((h) => checker.names.table(h.table))
      .flatMap((h) =>
        (h.levels ?? []).slice(1).map((level, i) => {
          const parent = h.levels![i]!;
          return claimOf(
            levelSingleParent,
            `${h.table}.${h.name}.${level.name}`,
            `each ${level.name} is in one ${parent.name}`,
            {
              ref: levelRef(h, level),
              about: [{ hierarchy: `${h.table}.${h.name}`, table: h.table }],
              ...levelReads(checker, h, [level, parent]),
              judging: (facts) => judgeParents(facts, h, level, parent),
              found: (e) =>
                `${counted(e.distinct ?? 0, `member`)} of ${level.name} ${e.distinct === 1 ? 'is' : 'are'} in more than one ${parent.name}: ${rowsText(e)} of ${h.table}`,
              remedies: () => remedies(h, i + 1),
            },
          );
        }),
      ),
};

/** What is counted: members of the level by their parents, on the rows of the hierarchy's own table. */
function countOf(facts: JudgingFacts, h: Hierarchy, level: Level, parent: Level): DifferingCount {
  const column = (path: string): ColumnName => levelColumn(facts, h, path);
  const identity = (l: Level) => [l.key ?? l.column].flat().map(column);
  return {
    count: 'differing',
    table: h.table,
    group: identity(level),
    parts: identity(parent),
    shown: { name: level.name, column: column(level.column) },
    shownParts: { name: `${parent.name}, each`, column: column(parent.column) },
  };
}

function* judgeParents(facts: JudgingFacts, h: Hierarchy, level: Level, parent: Level): Judging {
  const count = countOf(facts, h, level, parent);
  const table = facts.checker.names.table(h.table)!;
  const found = judged(yield* askCount(count));
  if (found.verdict === 'holds') return found;
  // Members that the table's own key tells apart have two parents only where that key stands twice.
  if (isKeyOf(facts.checker, h.table, count.group)) {
    const key = yield* askCount({ count: 'repeated', table: table.name, columns: table.key! });
    if (key.against > 0) return restsOn(`key-unique:${table.name}`);
  }
  if ([...count.group, ...count.parts].every((c) => sameName(c.table, h.table))) return found;
  // Which of several partners a row looks up is no fact: members are torn for certain by the other rows.
  const certain = yield* askCount({ ...count, certainly: true });
  return certain.against > 0 && certain.tally?.doubtful ? { ...judged(certain), certain: true } : found;
}

const isKeyOf = (checker: FormulaChecker, table: string, columns: readonly ColumnName[]): boolean => {
  const key = checker.names.table(table)?.key ?? [];
  return (
    key.length > 0 &&
    key.every((name) => columns.some((c) => sameName(c.table, table) && sameName(c.column, name)))
  );
};

function remedies(h: Hierarchy, at: number): Remedy[] {
  const [level, parent] = [h.levels![at]!, h.levels![at - 1]!];
  const put = (levels: Hierarchy['levels']): Remedy['edit'] => [
    { do: 'put-hierarchies', name: h.name, value: { ...h, levels } },
  ];
  const key = [parent.key ?? parent.column, level.key ?? level.column].flat();
  return [
    {
      id: 'composite-key',
      title: `Tell ${level.name} apart within ${parent.name}`,
      effect: `The key of ${level.name} becomes ${key.join(', ')}: two of one name in different ${parent.name} are two members.`,
      edit: put(h.levels!.map((l, i) => (i === at ? { ...l, key } : l))),
    },
    {
      id: 'drop-level',
      title: `Drop the level ${parent.name}`,
      effect: `${h.name} goes on without ${parent.name}.`,
      edit: put(h.levels!.filter((_, i) => i !== at - 1)),
    },
    {
      id: 'swap-levels',
      title: `Put ${level.name} above ${parent.name}`,
      effect: 'The two levels are swapped.',
      edit: put(h.levels!.map((l, i) => (i === at ? parent : i === at - 1 ? level : l))),
    },
  ];
}
