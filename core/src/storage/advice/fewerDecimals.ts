import { columnByCode, columnValues } from '../../columns/index.ts';
import { moreSteps } from '../../edit/index.ts';
import { quoteName } from '../../formula/index.ts';
import { sameName } from '../../model/index.ts';
import type { Exact } from '../../values/index.ts';
import { decimal, formatType, toDouble } from '../../values/index.ts';
import { totalBytes } from '../weight.ts';
import type { FoldKind } from './site.ts';
import { placeOf } from './site.ts';

/** Columns of fewer values are cheap as they are. */
const LEAST_VALUES = 256;
/** Decimals of sums that must hold all of them: digits in front included. */
const PRECISION = 18;
/** Losing digits must save this share to be worth a word; losing none need only save something. */
const WORTH = 0.3;
/** Decimals that lose nothing are looked for from the fewest, others tried from the most. */
const [EXACT, LOSING] = [
  [0, 1, 2, 3, 4, 5, 6],
  [4, 2],
];
/** Doubles that are this near to a decimal are meant to be it. */
const NEAR = 1e-9;

/** Half away from zero, as `cast` rounds. */
const unitsOf = (value: number, decimals: number): number =>
  Math.sign(value) * Math.round(Math.abs(value) * 10 ** decimals);

/** Doubles and decimals rounded to fewer decimals; doubles that have few already as exact decimals. */
export const fewerDecimals: FoldKind<'fewer-decimals'> = {
  does: 'fewer-decimals',
  find: ({ table, declared, column }) => {
    const { type } = column;
    if (type.kind !== 'double' && type.kind !== 'decimal') return [];
    if (column.distinct < LEAST_VALUES) return [];
    const scale = type.kind === 'decimal' ? type.scale : Infinity;
    const values = columnValues(column).map((v) =>
      v === null ? null : type.kind === 'decimal' ? toDouble(v as Exact, type.scale) : (v as number),
    );
    if (values.some((v) => v !== null && Math.abs(v) >= 10 ** 12)) return [];
    const beforeBytes = totalBytes(column);
    const lost = (decimals: number) =>
      values.reduce<number>(
        (most, v) =>
          v === null ? most : Math.max(most, Math.abs(v - unitsOf(v, decimals) / 10 ** decimals)),
        0,
      );
    const tried = [
      ...EXACT.filter((d) => d < scale && lost(d) < NEAR).slice(0, 1),
      ...LOSING.filter((d) => d < scale),
    ];
    for (const decimals of tried) {
      const isExact = lost(decimals) < NEAR;
      const rounded = columnByCode('rounded', column, decimal(PRECISION, decimals), (code) => {
        const value = values[code]!;
        return value === null ? null : unitsOf(value, decimals);
      });
      const afterBytes = totalBytes(rounded);
      if (afterBytes >= beforeBytes || (!isExact && afterBytes > beforeBytes * (1 - WORTH))) continue;
      const digits = decimals === 0 ? 'no decimals' : decimals === 1 ? '1 decimal' : `${decimals} decimals`;
      return [
        {
          fold: { do: 'fewer-decimals', table: table.name, column: declared.name, decimals },
          change: `hold it with ${digits}`,
          reason: isExact
            ? 'no value has more: nothing is lost, and sums become exact'
            : `each value changes by at most ${lost(decimals).toPrecision(2)}`,
          beforeBytes,
          afterBytes,
        },
      ];
    }
    return [];
  },
  edit: (model, fold) => {
    const place = placeOf(model, fold);
    if (!place) return undefined;
    const { table, column } = place;
    const type = formatType(decimal(PRECISION, fold.decimals));
    return moreSteps(
      model,
      table,
      [{ derive: { name: column.name, formula: `cast(${quoteName(column.name)} as ${type})` } }],
      table.columns.map((c) => (sameName(c.name, column.name) ? { ...c, type } : c)),
    );
  },
};
