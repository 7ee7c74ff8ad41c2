import type { ClaimKind } from '../claim.ts';
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
        (h.levels ?? []).map((level) =>
          claimOf(levelFilled, `${h.table}.${h.name}.${level.name}`, `every row of ${h.table} has its ${level.name}`, {
            about: [{ hierarchy: `${h.table}.${h.name}`, table: h.table }],
            ...levelReads(checker, h, [level]),
            judge: (data) => {
              const table = data.table(h.table);
              const { shown } = levelColumns(data, h, level);
              const key = (data.modelTable(h.table).key ?? []).map((name) => data.column(h.table, name));
              return judged(offendingRows(table, table.rowCount, [...key, shown], (row) => shown.codes[row] === 0));
            },
          }),
        ),
      ),
};
