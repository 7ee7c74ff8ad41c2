import type { ProfileDocument, TableProfile } from '@crease/core/storage';

/** A table as a ruler draws it: one measured here, or one of a profile that was kept or handed on. */
export type WeighedTable = TableProfile | ProfileDocument['tables'][number];

/** A stretch of a ruler: bits of one row. */
export interface Segment {
  /**
   * A column, what leads to other tables, levels of hierarchies, or several columns too narrow to be told
   * apart.
   */
  readonly kind: 'column' | 'derived' | 'relationships' | 'hierarchies' | 'others';
  /** A column's name, or what it is in words. */
  readonly name: string;
  readonly bits: number;
  /** Of its codes what its values need; what is beyond it is spent on how they are held. */
  readonly least: number;
  readonly codes: number;
  /** Of the dictionary, shared out over the rows. */
  readonly dictionary: number;
  readonly bytes: number;
}

/** Bits for each row that bytes of a table come to. */
export const bitsARow = (bytes: number, rows: number): number => (rows === 0 ? 0 : (8 * bytes) / rows);

/** A table's ruler from the heaviest column to the lightest, and then what leads from it and within it. */
export function segmentsOf(table: WeighedTable): Segment[] {
  const of = (bytes: number) => bitsARow(bytes, table.rows);
  const columns = table.columns
    .filter((c) => c.totalBytes > 0)
    .map((c): Segment => ({
      kind: c.formula === undefined ? 'column' : 'derived',
      name: c.name,
      bits: of(c.totalBytes),
      least: Math.min(c.leastBits, of(c.dataBytes)),
      codes: of(c.dataBytes),
      dictionary: of(c.dictionaryBytes),
      bytes: c.totalBytes,
    }))
    .sort((a, b) => b.bits - a.bits);
  const plain = (kind: Segment['kind'], name: string, bytes: number): Segment[] =>
    bytes > 0
      ? [{ kind, name, bits: of(bytes), least: of(bytes), codes: of(bytes), dictionary: 0, bytes }]
      : [];
  return [
    ...columns,
    ...plain('relationships', 'references to other tables', table.relationshipBytes),
    ...plain('hierarchies', 'levels of hierarchies', table.hierarchyBytes),
  ];
}

/** Narrow segments together as one, so that what is drawn can be seen and reached. */
export function drawnSegments(segments: readonly Segment[], narrowest: number): Segment[] {
  const wide = segments.filter((s) => s.bits >= narrowest);
  const narrow = segments.filter((s) => s.bits < narrowest);
  if (narrow.length <= 1) return [...segments];
  const sum = (of: (s: Segment) => number) => narrow.reduce((n, s) => n + of(s), 0);
  return [
    ...wide,
    {
      kind: 'others',
      name: `${narrow.length} more`,
      bits: sum((s) => s.bits),
      least: sum((s) => s.least),
      codes: sum((s) => s.codes),
      dictionary: sum((s) => s.dictionary),
      bytes: sum((s) => s.bytes),
    },
  ];
}

export const lengthOf = (segments: readonly Segment[]): number => segments.reduce((n, s) => n + s.bits, 0);

/** Marks of a ruler of so many bits: every so many bits that no more than `most` marks are there. */
export function marksOf(bits: number, most = 10): number[] {
  let step = 1;
  while (bits / step > most) step *= 2;
  return Array.from({ length: Math.floor(bits / step) + 1 }, (_, k) => k * step);
}

/** Rulers are drawn on the scale of those that together hold this share of the bytes; longer ones are cut. */
const SCALED_SHARE = 0.97;
/** Bits of the shortest scale. */
const LEAST_SCALE = 8;

/** Bits of the scale that all rulers are drawn on. */
export function scaleOf(tables: readonly WeighedTable[]): number {
  const heaviest = [...tables].sort((a, b) => b.totalBytes - a.totalBytes);
  const all = heaviest.reduce((sum, t) => sum + t.totalBytes, 0);
  let [held, longest] = [0, LEAST_SCALE];
  for (const table of heaviest) {
    if (held > SCALED_SHARE * all) break;
    held += table.totalBytes;
    longest = Math.max(longest, lengthOf(segmentsOf(table)));
  }
  return longest;
}

/** Pixels of the thickest ruler, and of the thinnest that can be seen. */
export const [THICKEST, THINNEST] = [52, 3];

/** Thickness in pixels: the rows, as a share of those of the largest table. */
export const thicknessOf = (rows: number, most: number): number =>
  Math.max(THINNEST, most === 0 ? 0 : (THICKEST * rows) / most);

/** What keeps a column's codes from being fewer bits: the bound that is lowest, in words. */
export function leastSays(c: {
  readonly leastBits: number;
  readonly valueBits: number;
  readonly runBits: number;
  readonly stepBits: number | null;
  readonly given?: { readonly column: string; readonly bits: number } | undefined;
}): string {
  const near = (bits: number) => bits <= c.leastBits + 1e-9;
  if (c.given && near(c.given.bits)) return `what ${c.given.column} leaves open`;
  if (c.stepBits !== null && near(c.stepBits)) return 'the distances from row to row';
  if (near(c.runBits)) return 'its stretches of equal values';
  if (near(c.valueBits)) return 'how often its values occur';
  return 'what it takes as it is held';
}
