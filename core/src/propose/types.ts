import type { Edit } from '../edit/index.ts';
import type { Column } from '../columns/index.ts';
import { columnOfValues, columnValues } from '../columns/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { sameName, isLoaded } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { DataError } from '../query/index.ts';
import { columnBytes } from '../storage/index.ts';
import type { Value } from '../values/index.ts';
import {
  DATE,
  DATE_PATTERNS,
  decimal,
  formatType,
  INTEGER,
  textReader,
  TIMESTAMP,
  TIMESTAMP_PATTERNS,
} from '../values/index.ts';

/** A type that would suit a column better, with the reason and what it takes to have it. */
export interface TypeAdvice {
  readonly table: string;
  readonly column: string;
  readonly from: string;
  /** A type, or for a text its length. */
  readonly to: string;
  readonly reason: string;
  readonly edit: Edit;
}

const CANONICAL_INTEGER = /^(0|-?[1-9]\d{0,14})$/;
/** Digits behind the point up to which doubles are taken for decimals that somebody wrote. */
const MOST_SCALE = 4;
/** Digits before the point that are kept free for larger values. */
const HEADROOM_DIGITS = 2;

/**
 * Types and lengths that would suit the columns of the model's tables better, as their rows tell. Columns
 * without rows are passed over.
 */
export function adviseTypes(data: ModelData): TypeAdvice[] {
  const { model } = data;
  return model.tables
    .filter((t) => !t.source || isLoaded(t))
    .flatMap((table) =>
      table.columns
        .filter((c) => c.formula === undefined)
        .flatMap((declared) => {
          const column = columnIfThere(data, table, declared);
          if (!column || column.distinct === 0) return [];
          return (
            asInteger(data, table, declared, column) ??
            asMoment(table, declared, column) ??
            asDecimal(table, declared, column) ??
            asLong(table, declared, column) ??
            []
          );
        }),
    );
}

function columnIfThere(data: ModelData, table: Table, column: ModelColumn): Column | undefined {
  try {
    return data.column(table.name, column.name);
  } catch (error) {
    if (error instanceof DataError) return undefined;
    throw error;
  }
}

/** Values that stand in rows; of a range not all need to. */
const valuesOf = (column: Column): Value[] =>
  columnValues(column).filter((value, code) => code > 0 && value !== null && column.counts[code]! > 0);

const setType = (table: string, column: string, type: string, pattern = ''): Edit[number] => ({
  do: 'set-column',
  table,
  column,
  change: { type, pattern },
});

/**
 * Keys of text that hold nothing but whole numbers join and store better as such; both ends of a relationship
 * change together.
 */
function asInteger(
  data: ModelData,
  table: Table,
  declared: ModelColumn,
  column: Column,
): TypeAdvice[] | undefined {
  if (column.type.kind !== 'text' || !isWhole(column)) return undefined;
  const ends = partnersOf(data.model, table.name, declared.name);
  const partners = ends.map((e) => ({
    ...e,
    table: data.model.tables.find((t) => sameName(t.name, e.table)),
  }));
  const others = partners.flatMap((p) => {
    const known = p.table?.columns.find((c) => sameName(c.name, p.column));
    const found = p.table && known ? columnIfThere(data, p.table, known) : undefined;
    return found && p.table && known ? [{ table: p.table.name, column: known.name, found }] : [];
  });
  if (others.some(({ found }) => found.type.kind === 'text' && !isWhole(found))) return undefined;
  const made = columnOfValues(
    column.name,
    INTEGER,
    Array.from(column.codes, (code) => {
      const value = columnValues(column)[code]!;
      return value === null ? null : Number(value);
    }),
  );
  const [before, after] = [columnBytes(column), columnBytes(made)].map(
    (s) => s.dataBytes + s.dictionaryBytes,
  ) as [number, number];
  const isKey = others.length > 0 || (table.key ?? []).some((k) => sameName(k, declared.name));
  if (!isKey && after >= before) return undefined;
  const together = others.filter(({ found }) => found.type.kind === 'text');
  return [
    {
      table: table.name,
      column: declared.name,
      from: 'text',
      to: 'integer',
      reason: `all values are whole numbers: ${isKey ? 'integer keys join faster, and ' : ''}it takes ${after} bytes instead of ${before}${together.length > 0 ? `; ${together.map((o) => `${o.table}.${o.column}`).join(', ')} changes with it` : ''}`,
      edit: [
        setType(table.name, declared.name, 'integer'),
        ...together.map((o) => setType(o.table, o.column, 'integer')),
      ],
    },
  ];
}

const isWhole = (column: Column): boolean =>
  valuesOf(column).every((value) => CANONICAL_INTEGER.test(String(value)));

/** The other ends of a column's relationships, directly. */
function partnersOf(model: Model, table: string, column: string): { table: string; column: string }[] {
  return (model.relationships ?? []).flatMap((r) =>
    [
      [r.from, r.to],
      [r.to, r.from],
    ].flatMap(([own, other]) => {
      if (!sameName(own!.table, table)) return [];
      const at = own!.columns.findIndex((c) => sameName(c, column));
      return at < 0 || !other!.columns[at] ? [] : [{ table: other!.table, column: other!.columns[at] }];
    }),
  );
}

const MOMENTS = [
  ...DATE_PATTERNS.map((pattern) => ({
    type: DATE,
    pattern,
    reason: 'as days they sort, count and meet a calendar',
  })),
  ...TIMESTAMP_PATTERNS.map((pattern) => ({
    type: TIMESTAMP,
    pattern,
    reason: 'as timestamps they sort, and can be grouped by day and hour',
  })),
];

/** Texts that are all days, or all moments, written in one way. */
function asMoment(table: Table, declared: ModelColumn, column: Column): TypeAdvice[] | undefined {
  if (column.type.kind !== 'text') return undefined;
  const values = valuesOf(column) as string[];
  const found = MOMENTS.find(({ type, pattern }) => {
    const read = textReader(type, { pattern });
    return values.every((value) => read(value) !== undefined);
  });
  if (!found) return undefined;
  const { type, pattern, reason } = found;
  return [
    {
      table: table.name,
      column: declared.name,
      from: 'text',
      to: type.kind,
      reason: `all values are written as ${pattern}: ${reason}`,
      edit: [setType(table.name, declared.name, type.kind, pattern)],
    },
  ];
}

/** Amounts of money in doubles: their sums are off by a little, those of decimals are exact. */
function asDecimal(table: Table, declared: ModelColumn, column: Column): TypeAdvice[] | undefined {
  if (column.type.kind !== 'double' || declared.use !== 'quantity') return undefined;
  const values = valuesOf(column) as number[];
  const scale = Array.from({ length: MOST_SCALE + 1 }, (_, s) => s).find((s) =>
    values.every((v) => Number(v.toFixed(s)) === v),
  );
  if (scale === undefined) return undefined;
  const digits = Math.max(1, ...values.map((v) => Math.trunc(Math.abs(v)).toString().length));
  if (digits + scale + HEADROOM_DIGITS > 18) return undefined;
  const to = formatType(decimal(digits + scale + HEADROOM_DIGITS, scale));
  return [
    {
      table: table.name,
      column: declared.name,
      from: 'double',
      to,
      reason: `no value has more than ${scale} digits after the point: as decimals their sums are exact`,
      edit: [setType(table.name, declared.name, to)],
    },
  ];
}

/** A length for the text, so that a database that is made from the model knows how long it can become. */
function asLong(table: Table, declared: ModelColumn, column: Column): TypeAdvice[] | undefined {
  if (column.type.kind !== 'text' || declared.length !== undefined) return undefined;
  const lengths = (valuesOf(column) as string[]).map((value) => [...value].length);
  const [least, most] = lengths.reduce(([a, b], n) => [Math.min(a, n), Math.max(b, n)], [Infinity, 0]);
  const isCode = least === most && column.distinct > 1;
  const length = isCode ? most : Math.max(10, Math.ceil((most * 1.5) / 10) * 10);
  return [
    {
      table: table.name,
      column: declared.name,
      from: 'text',
      to: `text of up to ${length}`,
      reason: isCode
        ? `all values have ${most} characters`
        : `the longest value has ${most} characters, with half as many again in reserve`,
      edit: [{ do: 'set-column', table: table.name, column: declared.name, change: { length } }],
    },
  ];
}
