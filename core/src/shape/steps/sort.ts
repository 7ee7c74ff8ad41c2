import type { StepKind } from '../step.ts';
import { few, selectRows, stepColumn } from '../step.ts';

/**
 * `{ "sort": ["branch", { "of": "day", "order": "descending" }] }`: codes compare like values; nulls come
 * last in either direction.
 */
export const sort: StepKind<'sort'> = {
  verb: 'sort',
  says: 'Another order of the rows',
  empty: (columns) => [columns[0]?.name ?? ''],
  text: (by) => `by ${few(by.map((s) => (typeof s === 'string' ? s : `${s.of} ${s.order ?? ''}`.trim())))}`,
  apply: (input, by) => {
    const keys = by.map((b) => ({
      column: stepColumn(input, typeof b === 'string' ? b : b.of, 'sort'),
      down: typeof b !== 'string' && b.order === 'descending',
    }));
    const rows = Array.from({ length: input.rowCount }, (_, row) => row).sort((a, b) => {
      for (const { column, down } of keys) {
        const [x, y] = [column.codes[a]!, column.codes[b]!];
        if (x === y) continue;
        if (x === 0 || y === 0) return x === 0 ? 1 : -1;
        return down ? y - x : x - y;
      }
      return a - b;
    });
    return selectRows(input, rows);
  },
  rename: (by, names) => ({
    argument: by.map((s) => (typeof s === 'string' ? names.own(s) : { ...s, of: names.own(s.of) })),
  }),
};
