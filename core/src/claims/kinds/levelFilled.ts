import type { FormulaChecker } from '../../formula/index.ts';
import { quoteName } from '../../formula/index.ts';
import type { Hierarchy } from '../../model/index.ts';
import { freeName } from '../../model/index.ts';
import type { ClaimKind, Remedy } from '../claim.ts';
import { claimOf, judged } from '../claim.ts';
import { levelColumn } from '../../query/index.ts';
import { askCount } from '../judging.ts';
import { levelReads, levelRef, ofTable } from './common.ts';
import { rowsText, verb } from './words.ts';

export const levelFilled: ClaimKind = {
  kind: 'level-filled',
  weight: 'warns',
  subject: 'table.hierarchy.level',
  documentation: 'A level column is null (ragged).',
  example:
    '`level-filled:branch.Geography.District`: every row of `branch` has its District; a branch without one breaks it.',
  list: ({ model, checker }) =>
    (model.hierarchies ?? [])
      .filter((h) => checker.names.table(h.table))
      .flatMap((h) =>
        (h.levels ?? []).map((level, at) =>
          claimOf(
            levelFilled,
            `${h.table}.${h.name}.${level.name}`,
            `every row of ${h.table} has its ${level.name}`,
            {
              ref: levelRef(h, level),
              about: [{ hierarchy: `${h.table}.${h.name}`, table: h.table }],
              ...levelReads(checker, h, [level]),
              judging: function* (facts) {
                const shown = levelColumn(facts, h, level.column);
                const key = ofTable(h.table, facts.checker.names.table(h.table)?.key ?? []);
                const columns = [shown];
                return judged(
                  yield* askCount({ count: 'nulls', table: h.table, columns, shown: [...key, shown] }),
                );
              },
              found: (e) => `${rowsText(e)} of ${h.table} ${verb(e, 'has', 'have')} no ${level.name}`,
              remedies: () => fillFromAbove(checker, h, at),
            },
          ),
        ),
      ),
};

/**
 * A level that is null takes the member above it: a derived column of the hierarchy's own table, where both
 * levels are columns of it.
 */
function fillFromAbove(checker: FormulaChecker, h: Hierarchy, at: number): Remedy[] {
  const [level, parent] = [h.levels![at]!, h.levels![at - 1]];
  const column = (l: typeof level | undefined) => l && checker.names.column(h.table, l.column);
  const [own, above] = [column(level), column(parent)];
  if (!own || !above || own.type !== above.type || level.key !== undefined) return [];
  const table = checker.names.table(h.table)!;
  const name = freeName(`${own.name}_filled`, table.columns);
  const formula = `coalesce(${quoteName(own.name)}, ${quoteName(above.name)})`;
  return [
    {
      id: 'fill-from-above',
      title: `Show the ${parent!.name} where ${level.name} is empty`,
      effect: `A derived column ${name} = ${formula} is the level.`,
      edit: [
        { do: 'put-column', table: table.name, value: { name, type: own.type, use: 'attribute', formula } },
        {
          do: 'put-hierarchies',
          name: h.name,
          value: { ...h, levels: h.levels!.map((l, i) => (i === at ? { ...l, column: name } : l)) },
        },
      ],
    },
  ];
}
