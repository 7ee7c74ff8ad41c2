import type { Column } from '../../columns/index.ts';
import { columnValues } from '../../columns/index.ts';
import { quoteName } from '../../formula/index.ts';
import { sameName } from '../../model/index.ts';
import type { DataType, Exact, Value } from '../../values/index.ts';
import { add, compareExact, formatType, multiply, rescale, scaleOf, subtract } from '../../values/index.ts';
import { totalBytes } from '../weight.ts';
import type { FoldKind, Site } from './site.ts';
import { placeOf } from './site.ts';

/** Columns that are tried with each other; in a wide table the first ones. */
const MOST_TRIED = 16;
/** A column of fewer values may equal a formula by chance. */
const LEAST_VALUES = 8;

interface Numbers {
  readonly name: string;
  readonly column: Column;
  readonly values: readonly Value[];
}

interface Way {
  readonly sign: '+' | '-' | '*';
  readonly of: (a: Exact, b: Exact) => Exact;
  /** Decimals of the result, by those of the operands. */
  readonly scale: (a: number, b: number) => number;
  readonly commutes: boolean;
}

const WAYS: readonly Way[] = [
  { sign: '*', of: multiply, scale: (a, b) => a + b, commutes: true },
  { sign: '+', of: add, scale: Math.max, commutes: true },
  { sign: '-', of: subtract, scale: Math.max, commutes: false },
];

/**
 * A column that is a copy of another, or a sum, difference or product of two (or the days between two dates),
 * on every row: it can be worked out where it is needed.
 */
export const derive: FoldKind<'derive'> = {
  does: 'derive',
  find: (site) => {
    const { table, declared, column, usedBy } = site;
    if (usedBy.includes('key') || column.distinct < LEAST_VALUES) return [];
    const formula = copyOf(site) ?? shifted(site) ?? daysBetween(site) ?? resultOf(site);
    if (formula === undefined) return [];
    return [
      {
        fold: { do: 'derive', table: table.name, column: declared.name, formula },
        change: `work it out as ${formula} where it is needed`,
        reason: 'it is so on every row: worked out when it is asked for, it need not be stored',
        beforeBytes: totalBytes(column),
        afterBytes: 0,
      },
    ];
  },
  edit: (model, fold) => {
    const place = placeOf(model, fold);
    if (!place) return undefined;
    const { pattern: _, sourceName: __, length: ___, ...rest } = place.column;
    return [{ do: 'put-column', table: fold.table, value: { ...rest, formula: fold.formula } }];
  },
};

/** Values are read once they are compared: of most columns the counts already differ. */
class NumbersOf implements Numbers {
  constructor(
    readonly name: string,
    readonly column: Column,
  ) {}

  get values(): readonly Value[] {
    return columnValues(this.column);
  }
}

/** Other stored columns of the table of these kinds, in the order of the table. */
function others({ data, table, declared }: Site, kinds: readonly DataType['kind'][]): Numbers[] {
  return table.columns
    .filter((c) => c.formula === undefined && !sameName(c.name, declared.name))
    .flatMap((c): Numbers[] => {
      const column = data.table(table.name).columns.get(c.name.toLowerCase());
      if (!column || !kinds.includes(column.type.kind)) return [];
      return [new NumbersOf(c.name, column)];
    })
    .slice(0, MOST_TRIED);
}

/** Of two equal columns the later one is the copy. */
function copyOf(site: Site): string | undefined {
  const { table, declared, column } = site;
  const place = (name: string) => table.columns.findIndex((c) => sameName(c.name, name));
  const found = others(site, [column.type.kind]).find(
    (other) =>
      place(other.name) < place(declared.name) &&
      other.column.distinct === column.distinct &&
      other.column.nulls === column.nulls &&
      formatType(other.column.type) === formatType(column.type) &&
      everyRow(column, columnValues(column), (row) => other.values[other.column.codes[row]!]!),
  );
  return found && quoteName(found.name);
}

/** A fixed number of days from another date, or a fixed distance from another whole number. */
function shifted(site: Site): string | undefined {
  const { table, declared, column } = site;
  const { kind } = column.type;
  if (kind !== 'date' && kind !== 'integer') return undefined;
  const own = columnValues(column) as (number | null)[];
  const place = (name: string) => table.columns.findIndex((c) => sameName(c.name, name));
  for (const other of others(site, [kind])) {
    // Of two such columns the later one is worked out from the earlier.
    if (place(other.name) > place(declared.name)) continue;
    const of = (row: number) => other.values[other.column.codes[row]!] as number | null;
    const row = column.codes.findIndex((code: number, k: number) => code !== 0 && of(k) !== null);
    if (row < 0) continue;
    const by = own[column.codes[row]!]! - of(row)!;
    if (!Number.isSafeInteger(by) || !everyRow(column, own, (k) => (of(k) === null ? null : of(k)! + by)))
      continue;
    const name = quoteName(other.name);
    return kind === 'date'
      ? `date_add(${name}, ${by}, day)`
      : `${name} ${by < 0 ? '-' : '+'} ${Math.abs(by)}`;
  }
  return undefined;
}

function daysBetween(site: Site): string | undefined {
  const { column } = site;
  if (column.type.kind !== 'integer') return undefined;
  const dates = others(site, ['date']);
  const own = columnValues(column);
  for (const a of dates)
    for (const b of dates) {
      if (a === b) continue;
      const fits = everyRow(column, own, (row) => {
        const [from, to] = [a.values[a.column.codes[row]!]!, b.values[b.column.codes[row]!]!];
        return from === null || to === null ? null : (to as number) - (from as number);
      });
      if (fits) return `date_diff(${quoteName(a.name)}, ${quoteName(b.name)}, day)`;
    }
  return undefined;
}

function resultOf(site: Site): string | undefined {
  const { column } = site;
  if (column.type.kind !== 'integer' && column.type.kind !== 'decimal') return undefined;
  const own = columnValues(column);
  const scale = scaleOf(column.type);
  // The result of two columns that hold less than it does: of a = b + c this finds a alone.
  const numbers = others(site, ['integer', 'decimal']).filter(({ column: c }) => c.distinct > 1);
  for (const way of WAYS)
    for (const [i, a] of numbers.entries())
      for (const b of way.commutes ? numbers.slice(i) : numbers) {
        if (a === b && way.sign !== '*') continue;
        const of = resultAt(way, a, b, scale);
        if (everyRow(column, own, of))
          return `cast(${quoteName(a.name)} ${way.sign} ${quoteName(b.name)} as ${formatType(column.type)})`;
      }
  return undefined;
}

/** The result on a row in units of `scale` decimals; undefined where it has more of them. */
function resultAt(way: Way, a: Numbers, b: Numbers, scale: number): (row: number) => Value | undefined {
  const [as, bs] = [scaleOf(a.column.type), scaleOf(b.column.type)];
  const common = Math.max(as, bs);
  const made = way.scale(as, bs);
  return (row) => {
    let [x, y] = [a.values[a.column.codes[row]!]!, b.values[b.column.codes[row]!]!] as (Exact | null)[];
    if (x === null || y === null) return null;
    if (way.sign !== '*') [x, y] = [rescale(x!, as, common), rescale(y!, bs, common)];
    const result = way.of(x!, y!);
    const rounded = rescale(result, made, scale);
    return made <= scale || compareExact(rescale(rounded, scale, made), result) === 0 ? rounded : undefined;
  };
}

/** Whether every row's value is what is worked out for it; most formulas end at one of the first rows. */
function everyRow(
  { codes }: Column,
  values: readonly Value[],
  of: (row: number) => Value | undefined,
): boolean {
  for (let row = 0; row < codes.length; row++) if (values[codes[row]!] !== of(row)) return false;
  return codes.length > 0;
}
