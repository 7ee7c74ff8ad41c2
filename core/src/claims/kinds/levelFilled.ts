import type { FormulaChecker } from '../../formula/index.ts';
import { quoteName } from '../../formula/index.ts';
import type { Hierarchy } from '../../model/index.ts';
import { freeName } from '../../model/index.ts';
import type { ClaimKind, Remedy } from '../claim.ts';
import { claimOf, judged } from '../claim.ts';
import { offendingRows } from '../offenders.ts';
import { levelReads } from './common.ts';
import { levelColumns } from './levels.ts';

export const levelFilled: ClaimKind = {
  kind: 'level-filled',
  weight: 'warns',
  documentation: 'A level column is null (ragged).',
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
              about: [{ hierarchy: `${h.table}.${h.name}`, table: h.table }],
              ...levelReads(checker, h, [level]),
              judge: (data) => {
                const table = data.table(h.table);
                const { shown } = levelColumns(data, h, level);
                const key = (data.modelTable(h.table).key ?? []).map((name) => data.column(h.table, name));
                return judged(
                  offendingRows(table, table.rowCount, [...key, shown], (row) => shown.codes[row] === 0),
                );
              },
              remedies: () => fillFromAbove(checker, h, at),
            },
          ),
        ),
      ),
};

/** A level that is null takes the member above it: a derived column of the hierarchy's own table, where both levels are columns of it. */
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
