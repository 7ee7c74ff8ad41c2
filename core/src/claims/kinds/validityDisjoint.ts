import { formatDate } from '../../values/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { ClaimKind, SampleRow } from '../claim.ts';
import { claimOf, SAMPLE_SIZE } from '../claim.ts';
import { combinations } from '../../columns/index.ts';
import { hasNull, rowCells } from '../offenders.ts';
import { ofTable } from './common.ts';

export const validityDisjoint: ClaimKind = {
  kind: 'validity-disjoint',
  weight: 'blocks',
  documentation:
    'Two validity intervals of one natural key overlap (the last day counts), or leave a gap; a gap only warns.',
  list: ({ model, checker }) =>
    model.tables
      .filter(
        (t) =>
          t.validity &&
          [...t.validity.of, t.validity.from, t.validity.to].every((name) => checker.names.column(t, name)),
      )
      .map((t) =>
        claimOf(
          validityDisjoint,
          t.name,
          `versions of one ${t.validity!.of.join(', ')} in ${t.name} follow each other day by day`,
          {
            about: [{ table: t.name }],
            tables: [t.name],
            columns: ofTable(t.name, [...t.validity!.of, t.validity!.from, t.validity!.to]),
            parts: t.validity,
            judge: (data) => {
              const { of, from, to } = t.validity!;
              const natural = of.map((name) => data.column(t.name, name));
              const [starts, ends] = [data.column(t.name, from), data.column(t.name, to)];
              const [startValues, endValues] = [columnValues(starts), columnValues(ends)];
              const start = (row: number) => (startValues[starts.codes[row]!] as number | null) ?? -Infinity;
              const end = (row: number) => (endValues[ends.codes[row]!] as number | null) ?? Infinity;
              const { numbers, size } = combinations(natural, starts.rowCount);
              const versions: number[][] = Array.from({ length: size }, () => []);
              numbers.forEach((n, row) => {
                if (!hasNull(natural, row)) versions[n]!.push(row);
              });
              const [overlapping, gapped] = [new Set<number>(), new Set<number>()];
              const sample: SampleRow[] = [];
              for (const rows of versions) {
                rows.sort((a, b) => start(a) - start(b) || end(a) - end(b));
                // Every pair that shares a day clashes, not only neighbours; the furthest end so far finds gaps.
                let reachedRow = rows[0]!;
                for (let i = 1; i < rows.length; i++) {
                  const row = rows[i]!;
                  for (let j = 0; j < i; j++) {
                    if (end(rows[j]!) < start(row)) continue;
                    overlapping.add(rows[j]!).add(row);
                  }
                  if (start(row) > end(reachedRow) + 1) gapped.add(reachedRow).add(row);
                  if (
                    (start(row) <= end(reachedRow) || start(row) > end(reachedRow) + 1) &&
                    sample.length < SAMPLE_SIZE
                  ) {
                    sample.push({
                      ...rowCells([...natural, starts, ends], reachedRow),
                      [`then ${from}`]: Number.isFinite(start(row)) ? formatDate(start(row)) : null,
                      rows: 2,
                    });
                  }
                  if (end(row) > end(reachedRow)) reachedRow = row;
                }
              }
              const found = overlapping.size > 0 ? overlapping : gapped;
              return {
                verdict: found.size > 0 ? 'broken' : 'holds',
                weight: overlapping.size > 0 || gapped.size === 0 ? 'blocks' : 'warns',
                evidence: {
                  checked: starts.rowCount,
                  against: found.size,
                  ...(sample.length ? { sample } : {}),
                  notes: [
                    ...(overlapping.size ? [`${overlapping.size} rows overlap`] : []),
                    ...(gapped.size ? [`${gapped.size} rows border a gap`] : []),
                  ],
                },
              };
            },
          },
        ),
      ),
};
