/** Codes of a column in memory, one per row, in the narrowest byte-aligned array. */
export type Codes = Uint8Array | Uint16Array | Uint32Array;

/** Makes an array for codes up to and including `largest`. */
export function codesArray(largest: number, length: number): Codes {
  return largest < 0x100
    ? new Uint8Array(length)
    : largest < 0x10000
      ? new Uint16Array(length)
      : new Uint32Array(length);
}

/** An array for so many codes up to and including `largest`; all of it is written before it is read. */
export type ArrayFor = (largest: number, length: number) => Codes;
