import { codesArray } from './codes.ts';
import type { Codes } from './codes.ts';
import type { Column } from './column.ts';
import { mapCodes } from './combiner.ts';
import { columnOfParts, countRuns, domainOfDistinct } from './column.ts';
import { decodeDomain, valuesOfCodes } from './dictionary.ts';
import { textsOfCodes } from './dictionaryTexts.ts';

/** Some rows of a column, by their numbers, with a dictionary of the values that occur in them. */
export type ColumnCutter = (rows: Uint32Array) => Column;

/**
 * Cuts a column into several. What the cuts need of the whole is made once: tables by its codes, and its
 * dictionary as it is encoded. Texts are brought over in bytes, none is decoded.
 */
export function columnCutter(column: Column): ColumnCutter {
  const compact = compacter(column);
  return (rows) => compact(column.codes, rows);
}

/** The same rows with a domain of the values that occur: a few rows of many need no dictionary of all. */
export function compacted(column: Column): Column {
  const isList = column.type.kind === 'text' || column.domain.kind === 'list';
  if (isList && column.counts.every((count, code) => code === 0 || count > 0)) return column;
  return compacter(column)(column.codes);
}

/** Takes all codes, or those of some rows. */
function compacter(column: Column): (codes: Codes, rows?: Uint32Array) => Column {
  const { name, type } = column;
  /** By code of the whole its place among the codes that occur, from 1 on; zeros between two cuts. */
  let places: Uint32Array | undefined;
  let scratch = new Uint32Array(0);
  let encoded: Uint8Array | undefined;
  return (codes, rows) => {
    places ??= new Uint32Array(column.size + 1);
    const count = rows?.length ?? codes.length;
    if (scratch.length < count) scratch = new Uint32Array(count);
    if (rows) for (let i = 0; i < count; i++) scratch[i] = codes[rows[i]!]!;
    else scratch.set(codes);
    const taken = scratch.subarray(0, count);
    const { used, nulls } = occurring(taken, places);
    const dictionary =
      type.kind === 'text'
        ? textsPart(() => (encoded ??= column.encodedDomain()), used)
        : valuesPart(column, used, count);
    const { remap } = dictionary;
    for (let k = 0; k < used.length; k++) places[used[k]!] = remap ? remap[k + 1]! : k + 1;
    const own = codesArray(dictionary.size, count);
    // The whole table would be copied to where codes are mapped quickest.
    if (places.length <= count) mapCodes(taken, places, own);
    else for (let i = 0; i < count; i++) own[i] = places[taken[i]!]!;
    for (let k = 0; k < used.length; k++) places[used[k]!] = 0;
    return columnOfParts({
      name,
      type,
      rowCount: count,
      codes: own,
      distinct: used.length,
      nulls,
      runs: () => (rows ? countRuns(own) : column.runs),
      padded: rows ? 0 : column.padded,
      ...dictionary.parts,
    });
  };
}

/** The codes that occur, ascending, null apart; each is marked in `places`, which are zeros before. */
function occurring(codes: Uint32Array, places: Uint32Array): { used: Uint32Array; nulls: number } {
  const used = new Uint32Array(Math.min(codes.length, places.length));
  let [count, nulls] = [0, 0];
  for (let i = 0; i < codes.length; i++) {
    const code = codes[i]!;
    if (code === 0) nulls++;
    else if (places[code] === 0) {
      places[code] = 1;
      used[count++] = code;
    }
  }
  return { used: used.subarray(0, count).sort(), nulls };
}

function textsPart(encoded: () => Uint8Array, used: Uint32Array) {
  let own: Uint8Array | undefined;
  const bytes = () => (own ??= textsOfCodes(encoded(), used));
  return {
    size: used.length,
    remap: undefined,
    parts: {
      domain: () => decodeDomain(bytes()),
      size: () => used.length,
      encodedDomain: bytes,
      dictionaryBytes: () => bytes().length,
      valuesOf: (codes: readonly number[]) => valuesOfCodes(bytes(), codes),
    },
  };
}

function valuesPart(column: Column, used: Uint32Array, rows: number) {
  const { domain, remap } = domainOfDistinct(column.valuesOf([...used]), rows);
  return { size: domain.size, remap, parts: { domain } };
}
