import type { SqlDialect } from '@crease/core/sql';
import type { DataType } from '@crease/core/values';
import { TEXT } from '@crease/core/values';

/** What a column of a database holds, whatever the types are called there. */
export type Stored =
  | { readonly kind: 'integer'; readonly digits: number }
  | { readonly kind: 'numeric'; readonly whole: number; readonly scale: number }
  | { readonly kind: 'number' | 'float' | 'boolean' | 'date' | 'timestamp' | 'text' | 'other' };

/** A column as the catalog of a database has it. */
export interface PlacedColumn {
  readonly name: string;
  readonly stored: Stored;
  /** A stored value in the plain type of its kind, and as text; by default as it is, and cast to text. */
  plain?(raw: string): string;
  text?(raw: string): string;
}

/** How one database says what reading a column needs, beside its dialect. */
export interface ColumnSql {
  readonly dialect: SqlDialect;
  readonly textType: string;
  readonly timestampType: string;
  /** Whether a text is as a regular expression says, from its beginning to its end. */
  matches(text: string, expression: string): string;
  /** A text that is a number, or a double, as an exact number; one that is not even null may be an error. */
  exact(value: string): string;
  /** A number without what is behind its point. */
  whole(number: string): string;
  /** Whether a day or moment is one of a calendar; missing where all are. */
  finite?(value: string): string;
}

/** A stored value as a value of the model. */
export interface ReadColumn {
  /** The value, null where it does not fit the declared type. */
  readonly sql: string;
  /** When a stored value does not fit; missing where all do. */
  readonly misfit?: string;
}

const NUMBER = '[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)';
/** Whole numbers beyond this are not of 64 bits. */
const BEYOND_INTEGER = '9223372036854775807';

const where = (fits: string, value: string): ReadColumn => ({
  sql: `case when ${fits} then ${value} end`,
  misfit: `not coalesce(${fits}, true)`,
});

/**
 * Reads a column of a database as a declared type. What is cast without loss is cast; of anything else each
 * value is looked at, and one that does not fit is null, as where rows are held. `pattern` is that of dates
 * written as text: those of ISO 8601 alone are read.
 */
export function readColumn(
  raw: string,
  column: PlacedColumn,
  declared: DataType,
  sql: ColumnSql,
  pattern?: string,
): ReadColumn {
  return new Reading(column.plain?.(raw) ?? raw, column, declared, sql).as(raw, pattern);
}

const isIso = (pattern: string | undefined): boolean =>
  pattern === undefined || pattern.startsWith('yyyy-MM-dd');

const isNumber = ({ kind }: Stored): boolean =>
  kind === 'integer' || kind === 'numeric' || kind === 'number' || kind === 'float';

class Reading {
  private readonly stored: Stored;

  constructor(
    private readonly value: string,
    private readonly column: PlacedColumn,
    private readonly declared: DataType,
    private readonly sql: ColumnSql,
  ) {
    this.stored = column.stored;
  }

  as(raw: string, pattern: string | undefined): ReadColumn {
    const { value, declared, stored } = this;
    const isDayText = stored.kind === 'text' && isIso(pattern);
    switch (declared.kind) {
      case 'text':
        return { sql: this.column.text?.(raw) ?? `cast(${raw} as ${this.sql.textType})` };
      case 'integer':
        return this.integer();
      case 'decimal':
        return this.decimal(declared);
      case 'double':
        if (stored.kind === 'text')
          return this.converted(this.sql.matches(`trim(${value})`, `${NUMBER}([eE][+-]?[0-9]+)?`));
        return isNumber(stored) ? { sql: this.cast(value) } : this.none();
      case 'boolean':
        if (stored.kind === 'boolean') return { sql: value };
        if (stored.kind === 'integer') return where(`${value} in (0, 1)`, `${value} = 1`);
        return stored.kind === 'text' ? this.converted() : this.none();
      case 'date':
        // An endless day is none that a calendar has; it is compared as the database does.
        if (stored.kind === 'date') return this.finite();
        if (stored.kind === 'timestamp')
          return where(`${value} = cast(${this.cast(value)} as ${this.sql.timestampType})`, this.cast(value));
        return isDayText ? this.converted() : this.none();
      case 'timestamp':
        if (stored.kind === 'timestamp') return this.finite();
        if (stored.kind === 'date') return { sql: this.cast(value) };
        return isDayText ? this.converted() : this.none();
    }
  }

  private cast(value: string): string {
    return `cast(${value} as ${this.sql.dialect.typeName(this.declared)})`;
  }

  private finite(): ReadColumn {
    const { value, sql } = this;
    return { sql: value, ...(sql.finite ? { misfit: `not ${sql.finite(value)}` } : {}) };
  }

  /** A text as an exact number, null where it is none. */
  private textNumber(): string {
    const trimmed = `trim(${this.value})`;
    return `(case when ${this.sql.matches(trimmed, NUMBER)} then ${this.sql.exact(trimmed)} end)`;
  }

  private fitting(fits: (number: string) => string, made: (number: string) => string): ReadColumn {
    const { value, stored } = this;
    if (stored.kind === 'text') {
      const number = this.textNumber();
      return {
        sql: `case when ${fits(number)} then ${made(number)} end`,
        misfit: `(${value} is not null and not coalesce(${fits(number)}, false))`,
      };
    }
    if (!isNumber(stored)) return this.none();
    const number = stored.kind === 'float' ? this.sql.exact(value) : value;
    return where(fits(number), made(number));
  }

  private integer(): ReadColumn {
    if (this.stored.kind === 'integer') return { sql: this.value };
    return this.fitting(
      (number) => `${number} = ${this.sql.whole(number)} and abs(${number}) <= ${BEYOND_INTEGER}`,
      (number) => this.cast(number),
    );
  }

  private decimal({ precision, scale }: Extract<DataType, { kind: 'decimal' }>): ReadColumn {
    const { stored, value } = this;
    const whole = precision - scale;
    if (stored.kind === 'integer' && stored.digits <= whole) return { sql: this.cast(value) };
    if (stored.kind === 'numeric' && stored.whole <= whole && stored.scale <= scale) return { sql: value };
    return this.fitting(
      (number) => `round(${number}, ${scale}) = ${number} and abs(${number}) < 1e${whole}`,
      (number) => `round(${number}, ${scale})`,
    );
  }

  /** Text that is read as the dialect does. */
  private converted(fits?: string): ReadColumn {
    const { value, declared } = this;
    const sql = this.sql.dialect.convert({ sql: value, type: TEXT }, declared);
    return {
      sql,
      misfit: `(${value} is not null and ${fits === undefined ? `${sql} is null` : `not ${fits}`})`,
    };
  }

  /** Nothing of what is stored is a value of the type. */
  private none(): ReadColumn {
    return { sql: this.sql.dialect.nullOf(this.declared), misfit: `${this.value} is not null` };
  }
}
