import type { FileMetaData, SchemaElement } from 'hyparquet';
import type { Exact } from '@crease/core/values';
import { narrow } from '@crease/core/values';

/** A decimal as its file has it: a whole number of 10^-scale. */
export class FileDecimal {
  constructor(
    readonly unscaled: Exact,
    readonly scale: number,
  ) {}
}

const isDecimal = (element: SchemaElement): boolean =>
  element.converted_type === 'DECIMAL' || element.logical_type?.type === 'DECIMAL';

/**
 * How a column of decimals is read without loss: the reader makes doubles of them, which have some 15 digits.
 * Told nothing of decimals, it gives the whole numbers that are stored. Undefined for any other column.
 */
export function exactDecimals(
  metadata: FileMetaData,
  name: string,
): { readonly metadata: FileMetaData; readonly of: (raw: unknown) => FileDecimal } | undefined {
  const element = metadata.schema.find((e) => e.name === name);
  if (!element || !isDecimal(element)) return undefined;
  const { converted_type: _, logical_type: __, ...plain } = element;
  const schema = metadata.schema.map((e) => (e === element ? (plain as SchemaElement) : e));
  const scale = element.scale ?? 0;
  return { metadata: { ...metadata, schema }, of: (raw) => new FileDecimal(wholeNumber(raw), scale) };
}

/** A whole number as it is stored: of 32 or 64 bits, or as bytes in two's complement, the highest first. */
function wholeNumber(raw: unknown): Exact {
  if (typeof raw === 'number' || typeof raw === 'bigint') return narrow(BigInt(raw));
  if (!(raw instanceof Uint8Array)) throw new TypeError(`a decimal is stored as ${typeof raw}`);
  let value = raw.length > 0 && raw[0]! >= 0x80 ? -1n : 0n;
  for (const byte of raw) value = (value << 8n) | BigInt(byte);
  return narrow(value);
}
