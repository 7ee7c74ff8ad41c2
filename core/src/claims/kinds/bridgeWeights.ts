import type { Exact } from '../../values/index.ts';
import { add, formatExact, powerOfTen, scaleOf } from '../../values/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { ClaimKind, Remedy, SampleRow } from '../claim.ts';
import { claimOf, judged, SAMPLE_SIZE } from '../claim.ts';
import { combinations } from '../../columns/index.ts';
import { rowCells } from '../offenders.ts';
import { ofTable } from './common.ts';

/** How far a sum of doubles may be from 1. */
const ROUNDING = 1e-9;

export const bridgeWeights: ClaimKind = {
  kind: 'bridge-weights',
  weight: 'blocks',
  documentation: 'The weights of one group of a bridge do not add up to exactly 1.',
  list: ({ model, checker }) =>
    model.tables
      .filter(
        (t) => t.weight && [t.weight.column, ...t.weight.per].every((name) => checker.names.column(t, name)),
      )
      .map((t) =>
        claimOf(
          bridgeWeights,
          t.name,
          `the ${t.weight!.column} of each ${t.weight!.per.join(', ')} add up to 1`,
          {
            about: [{ table: t.name, column: t.weight!.column }],
            tables: [t.name],
            columns: ofTable(t.name, [t.weight!.column, ...t.weight!.per]),
            parts: t.weight,
            judge: (data) => {
              const table = data.table(t.name);
              const weight = data.column(t.name, t.weight!.column);
              const per = t.weight!.per.map((name) => data.column(t.name, name));
              const { numbers, size } = combinations(per, table.rowCount);
              const values = columnValues(weight);
              const isDouble = weight.type.kind === 'double';
              const sums: Exact[] = new Array<Exact>(size).fill(0);
              const [first, rows] = [new Int32Array(size).fill(-1), new Uint32Array(size)];
              numbers.forEach((n, row) => {
                const value = values[weight.codes[row]!] ?? 0;
                sums[n] = isDouble ? (sums[n] as number) + (value as number) : add(sums[n]!, value as Exact);
                if (first[n]! < 0) first[n] = row;
                rows[n]!++;
              });
              const one = isDouble ? 1 : powerOfTen(scaleOf(weight.type));
              const wrong = sums.flatMap((sum, n) =>
                (isDouble ? Math.abs((sum as number) - 1) > ROUNDING : sum !== one) ? [n] : [],
              );
              const sample = wrong.slice(0, SAMPLE_SIZE).map((n): SampleRow => ({
                ...rowCells(per, first[n]!),
                sum: isDouble ? (sums[n] as number) : formatExact(sums[n]!, scaleOf(weight.type)),
                rows: rows[n]!,
                ...(table.lineOf ? { line: table.lineOf(first[n]!), lines: [table.lineOf(first[n]!)] } : {}),
              }));
              return judged({
                checked: table.rowCount,
                against: wrong.reduce((sum, n) => sum + rows[n]!, 0),
                distinct: wrong.length,
                ...(sample.length ? { sample } : {}),
              });
            },
            remedies: () => {
              const { weight: _, ...plain } = t;
              const effect = `Each row of ${t.name} counts fully; ${t.weight!.column} is a column like any other.`;
              const edit: Remedy['edit'] = [{ do: 'put-tables', name: t.name, value: plain }];
              return [{ id: 'no-shares', title: 'Do without shares', effect, edit }];
            },
          },
        ),
      ),
};
