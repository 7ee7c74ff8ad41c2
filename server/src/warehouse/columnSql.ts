import { postgresql } from '@crease/core/sql';
import type { DataType } from '@crease/core/values';

/**
 * A column as the catalog of PostgreSQL has it: `type` and `category` as in pg_type, `modifier` of
 * pg_attribute.
 */
export interface CatalogColumn {
  readonly name: string;
  readonly type: string;
  readonly category: string;
  readonly modifier: number;
}

/** A stored value as a value of the model. */
export interface ReadColumn {
  /** The value, null where it does not fit the declared type. */
  readonly sql: string;
  /** When a stored value does not fit; missing where all do. */
  readonly misfit?: string;
}

const NUMBER = `'^[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)$'`;
/** Whole numbers beyond this are not of 64 bits. */
const BEYOND_INTEGER = '9223372036854775807';

type Stored =
  | { readonly kind: 'integer'; readonly digits: number }
  | { readonly kind: 'numeric'; readonly whole: number; readonly scale: number }
  | { readonly kind: 'number' | 'float' | 'boolean' | 'date' | 'timestamp' | 'text' | 'other' };

const INTEGER_DIGITS: Readonly<Record<string, number>> = { int2: 5, int4: 10, int8: 19 };

/** Precision and scale lie in the modifier (src/backend/utils/adt/numeric.c). */
function storedAs({ type, category, modifier }: CatalogColumn): Stored {
  const digits = INTEGER_DIGITS[type];
  if (digits !== undefined) return { kind: 'integer', digits };
  switch (type) {
    case 'numeric': {
      if (modifier < 4) return { kind: 'number' };
      const scale = (modifier - 4) & 0x7ff;
      return { kind: 'numeric', whole: ((modifier - 4) >> 16) - scale, scale };
    }
    case 'money':
      return { kind: 'number' };
    case 'float4':
    case 'float8':
      return { kind: 'float' };
    case 'bool':
      return { kind: 'boolean' };
    case 'date':
      return { kind: 'date' };
    case 'timestamp':
    case 'timestamptz':
      return { kind: 'timestamp' };
    default:
      return { kind: category === 'S' || category === 'E' ? 'text' : 'other' };
  }
}

/** A stored value in the plain type of its kind. */
function plain(raw: string, { type }: CatalogColumn): string {
  switch (type) {
    case 'int2':
    case 'int4':
      return `cast(${raw} as bigint)`; // sums and products of theirs would leave 32 bits
    case 'money':
      return `cast(${raw} as numeric)`;
    case 'float4':
      return `cast(${raw} as double precision)`;
    case 'timestamptz':
      return `(${raw} at time zone 'UTC')`;
    default:
      return raw;
  }
}

const where = (fits: string, value: string): ReadColumn => ({
  sql: `case when ${fits} then ${value} end`,
  misfit: `not coalesce(${fits}, true)`,
});

/**
 * Reads a column of PostgreSQL as a declared type. What is cast without loss is cast; of anything else each
 * value is looked at, and one that does not fit is null, as where rows are held. `pattern` is that of dates
 * written as text: those of ISO 8601 alone are read.
 */
export function readColumn(
  raw: string,
  column: CatalogColumn,
  declared: DataType,
  pattern?: string,
): ReadColumn {
  const stored = storedAs(column);
  const value = plain(raw, column);
  switch (declared.kind) {
    case 'text':
      return { sql: column.type === 'bytea' ? `encode(${raw}, 'hex')` : `cast(${raw} as text)` };
    case 'integer':
      return asInteger(value, stored);
    case 'decimal':
      return asDecimal(value, stored, declared);
    case 'double':
      if (stored.kind === 'text')
        return converted(
          value,
          declared,
          `trim(${value}) ~ '^[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)([eE][+-]?[0-9]+)?$'`,
        );
      return isNumber(stored) ? { sql: `cast(${value} as double precision)` } : none(value, declared);
    case 'boolean':
      if (stored.kind === 'boolean') return { sql: value };
      if (stored.kind === 'integer') return where(`${value} in (0, 1)`, `${value} = 1`);
      return stored.kind === 'text' ? converted(value, declared) : none(value, declared);
    case 'date':
      // An endless day is none that a calendar has; it is compared as PostgreSQL does.
      if (stored.kind === 'date') return { sql: value, misfit: `not isfinite(${value})` };
      if (stored.kind === 'timestamp')
        return where(`${value} = date_trunc('day', ${value})`, `cast(${value} as date)`);
      return stored.kind === 'text' && isIso(pattern) ? converted(value, declared) : none(value, declared);
    case 'timestamp':
      if (stored.kind === 'timestamp') return { sql: value, misfit: `not isfinite(${value})` };
      if (stored.kind === 'date') return { sql: `cast(${value} as timestamp)` };
      return stored.kind === 'text' && isIso(pattern) ? converted(value, declared) : none(value, declared);
  }
}

const isIso = (pattern: string | undefined): boolean =>
  pattern === undefined || pattern.startsWith('yyyy-MM-dd');

const isNumber = ({ kind }: Stored): boolean =>
  kind === 'integer' || kind === 'numeric' || kind === 'number' || kind === 'float';

function asInteger(value: string, stored: Stored): ReadColumn {
  if (stored.kind === 'integer') return { sql: value };
  const fits = (number: string) => `${number} = trunc(${number}) and abs(${number}) <= ${BEYOND_INTEGER}`;
  if (stored.kind === 'text') {
    const number = `case when trim(${value}) ~ ${NUMBER} then cast(trim(${value}) as numeric) end`;
    return {
      sql: `case when ${fits(`(${number})`)} then cast((${number}) as bigint) end`,
      misfit: `(${value} is not null and not coalesce(${fits(`(${number})`)}, false))`,
    };
  }
  if (!isNumber(stored)) return none(value, { kind: 'integer' } as DataType);
  return where(fits(value), `cast(${value} as bigint)`);
}

function asDecimal(
  value: string,
  stored: Stored,
  declared: Extract<DataType, { kind: 'decimal' }>,
): ReadColumn {
  const { precision, scale } = declared;
  const whole = precision - scale;
  if (stored.kind === 'integer' && stored.digits <= whole) return { sql: `cast(${value} as numeric)` };
  if (stored.kind === 'numeric' && stored.whole <= whole && stored.scale <= scale) return { sql: value };
  const fits = (number: string) => `round(${number}, ${scale}) = ${number} and abs(${number}) < 1e${whole}`;
  if (stored.kind === 'text') {
    const number = `case when trim(${value}) ~ ${NUMBER} then cast(trim(${value}) as numeric) end`;
    return {
      sql: `case when ${fits(`(${number})`)} then round((${number}), ${scale}) end`,
      misfit: `(${value} is not null and not coalesce(${fits(`(${number})`)}, false))`,
    };
  }
  if (!isNumber(stored)) return none(value, declared);
  const number = `cast(${value} as numeric)`;
  return where(fits(number), `round(${number}, ${scale})`);
}

/** Text that is read as the dialect does. */
function converted(value: string, declared: DataType, fits?: string): ReadColumn {
  const sql = postgresql.convert({ sql: value, type: { kind: 'text' } as DataType }, declared);
  return {
    sql,
    misfit: `(${value} is not null and ${fits === undefined ? `${sql} is null` : `not ${fits}`})`,
  };
}

/** Nothing of what is stored is a value of the type. */
const none = (value: string, declared: DataType): ReadColumn => ({
  sql: postgresql.nullOf(declared),
  misfit: `${value} is not null`,
});
