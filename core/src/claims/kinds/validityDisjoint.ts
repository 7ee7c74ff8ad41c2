import { formatDate } from '../../values/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { ClaimKind, SampleRow } from '../claim.ts';
import { claimOf, restsOn, SAMPLE_SIZE } from '../claim.ts';
import { combinations } from '../../columns/index.ts';
import { hasNull, rowCells } from '../offenders.ts';
import type { Table } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import { ofTable } from './common.ts';
import { counted, rowsText, verb } from './words.ts';

export const validityDisjoint: ClaimKind = {
  kind: 'validity-disjoint',
  weight: 'blocks',
  subject: 'table',
  example:
    '`validity-disjoint:card`: versions of one `card_no` in `card` follow each other day by day; two versions that are valid on 1 May break it.',
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
            ref: { table: t.name },
            about: [{ table: t.name }],
            tables: [t.name],
            columns: ofTable(t.name, [...t.validity!.of, t.validity!.from, t.validity!.to, ...(t.key ?? [])]),
            parts: [t.validity, t.key],
            judge: (data) => {
              const { of, from, to } = t.validity!;
              const table = data.table(t.name);
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
              const isSameKey = sameKey(data, t);
              let isCertain = false;
              const sample: SampleRow[] = [];
              for (const rows of versions) {
                rows.sort((a, b) => start(a) - start(b) || end(a) - end(b));
                // Every pair that shares a day clashes, not only neighbours; the furthest end so far finds
                // gaps.
                let reachedRow = rows[0]!;
                for (let i = 1; i < rows.length; i++) {
                  const row = rows[i]!;
                  for (let j = 0; j < i; j++) {
                    if (end(rows[j]!) < start(row)) continue;
                    // One row that stands twice overlaps itself: that is the key's fault.
                    if (!isSameKey(rows[j]!, row)) isCertain = true;
                    overlapping.add(rows[j]!).add(row);
                  }
                  if (start(row) > end(reachedRow) + 1) gapped.add(reachedRow).add(row);
                  const overlaps = start(row) <= end(reachedRow);
                  if ((overlaps || start(row) > end(reachedRow) + 1) && sample.length < SAMPLE_SIZE) {
                    sample.push({
                      values: {
                        ...rowCells([...natural, starts, ends], reachedRow),
                        [`then ${from}`]: Number.isFinite(start(row)) ? formatDate(start(row)) : null,
                      },
                      rows: 2,
                      ...(table.lineOf ? { lines: [table.lineOf(reachedRow), table.lineOf(row)] } : {}),
                    });
                  }
                  if (end(row) > end(reachedRow)) reachedRow = row;
                }
              }
              if (overlapping.size > 0 && !isCertain) return restsOn(`key-unique:${t.name}`);
              const found = overlapping.size > 0 ? overlapping : gapped;
              return {
                verdict: found.size > 0 ? 'broken' : 'holds',
                weight: overlapping.size > 0 || gapped.size === 0 ? 'blocks' : 'warns',
                evidence: {
                  checked: starts.rowCount,
                  against: found.size,
                  ...(sample.length ? { sample } : {}),
                  notes: [
                    ...(overlapping.size ? [`${counted(overlapping.size, 'row')} overlap`] : []),
                    ...(gapped.size ? [`${counted(gapped.size, 'row')} border a gap`] : []),
                  ],
                },
              };
            },
            found: (e) =>
              `${rowsText(e)} of ${t.name} ${verb(e, 'overlaps or borders', 'overlap or border')} a gap with another version of the same ${t.validity!.of.join(', ')}`,
          },
        ),
      ),
};

/** Whether two rows have the same key of their table: then they are one row that stands twice. */
function sameKey(data: ModelData, t: Table): (a: number, b: number) => boolean {
  const key = (t.key ?? []).map((name) => data.column(t.name, name).codes);
  return key.length === 0
    ? () => false
    : (a, b) => key.every((codes) => codes[a] !== 0 && codes[a] === codes[b]);
}
