/** The data types of model columns and of formula results. */
export type DataType =
  | { readonly kind: 'integer' }
  | { readonly kind: 'decimal'; readonly precision: number; readonly scale: number }
  | { readonly kind: 'double' }
  | { readonly kind: 'text' }
  | { readonly kind: 'boolean' }
  | { readonly kind: 'date' }
  | { readonly kind: 'timestamp' };

/**
 * A value as the core holds it, without its type:
 * integer and decimal as an exact whole number (a decimal times 10^scale), a bigint only where a number would
 * not be safe; double as a number; date as days since 1970-01-01; timestamp as microseconds since 1970-01-01
 * 00:00:00; text; boolean; null.
 */
export type Value = null | boolean | number | bigint | string;

/** An exact whole number: a safe integer as number, anything larger as bigint. */
export type Exact = number | bigint;

export const INTEGER: DataType = { kind: 'integer' };
export const DOUBLE: DataType = { kind: 'double' };
export const TEXT: DataType = { kind: 'text' };
export const BOOLEAN: DataType = { kind: 'boolean' };
export const DATE: DataType = { kind: 'date' };
export const TIMESTAMP: DataType = { kind: 'timestamp' };

/**
 * The most digits that a decimal may declare. Sums of any number of such values stay exact: totals widen to
 * bigint.
 */
export const MAX_PRECISION = 38;

/** A decimal type; precision counts all digits, scale those after the point. */
export const decimal = (precision: number, scale: number): DataType => ({
  kind: 'decimal',
  precision: Math.min(precision, MAX_PRECISION),
  scale,
});

const DECIMAL_PATTERN = /^decimal\s*\(\s*(\d+)\s*,\s*(\d+)\s*\)$/i;

/** Reads a type as the model file writes it, such as `decimal(9,2)`; undefined where it is none. */
export function parseType(text: string): DataType | undefined {
  switch (text.trim().toLowerCase()) {
    case 'integer':
      return INTEGER;
    case 'double':
      return DOUBLE;
    case 'text':
      return TEXT;
    case 'boolean':
      return BOOLEAN;
    case 'date':
      return DATE;
    case 'timestamp':
      return TIMESTAMP;
  }
  const match = DECIMAL_PATTERN.exec(text.trim());
  if (!match) return undefined;
  const [precision, scale] = [Number(match[1]), Number(match[2])];
  return precision >= 1 && precision <= MAX_PRECISION && scale <= precision
    ? decimal(precision, scale)
    : undefined;
}

/** Writes a type as the model file does; the inverse of `parseType`. */
export const formatType = (type: DataType): string =>
  type.kind === 'decimal' ? `decimal(${type.precision},${type.scale})` : type.kind;

/** Digits after the point that a value of the type carries; 0 for all but decimals. */
export const scaleOf = (type: DataType): number => (type.kind === 'decimal' ? type.scale : 0);

/** Integer or decimal: values that are added and compared without rounding. */
export const isExact = (type: DataType): boolean => type.kind === 'integer' || type.kind === 'decimal';

export const isNumeric = (type: DataType): boolean => isExact(type) || type.kind === 'double';

/** Whether two types can be compared or joined: numbers with numbers, else the same kind. */
export const comparable = (a: DataType, b: DataType): boolean =>
  (isNumeric(a) && isNumeric(b)) || a.kind === b.kind;

/** Digits before the point that a type may have; 19 for a 64-bit integer. */
export const wholeOf = (type: DataType): number =>
  type.kind === 'decimal' ? type.precision - type.scale : 19;
