import type { Value } from '../values/index.ts';
import { DATE, parseType, TEXT, textReader, TIMESTAMP } from '../values/index.ts';
import type { TableData } from '../columns/index.ts';

import type { Corrections, Model, ModelColumn, Table } from '../model/index.ts';
import { sameName, splitPath } from '../model/index.ts';

/** A value that somebody wrote over the one that was read, of one row by its key. */
export interface Correction {
  /** Values of the key columns, in their order. */
  readonly key: readonly Value[];
  readonly value: Value;
  readonly author: string | null;
  /** When it was entered, as it was written, and as a moment that can be compared; null comes first. */
  readonly at: string | null;
  readonly moment: number | null;
  readonly comment: string | null;
  /** First and last day on which it holds, in days since 1970-01-01; null for no bound. */
  readonly from: number | null;
  readonly to: number | null;
  /** Where it stands in its file. */
  readonly line: number;
  /** What cannot be read of it; then it changes nothing. */
  readonly fault?: string;
}

/** What a list of corrections is about, where the model has it. */
export interface CorrectedColumn {
  readonly table: Table;
  readonly column: ModelColumn;
}

/** Names of the columns of a list of corrections, behind those of the key. */
const CORRECTION_FIELDS = ['value', 'author', 'at', 'comment', 'from', 'to'] as const;

/**
 * The column that is corrected, or why it cannot be: its rows must be told by a key, and it must hold values
 * that were read.
 */
export function correctedColumn(model: Model, of: string): CorrectedColumn | { readonly refusal: string } {
  const [tableName, columnName] = splitPath(of) ?? [];
  const table = tableName === undefined ? undefined : model.tables.find((t) => sameName(t.name, tableName));
  const column = table?.columns.find((c) => sameName(c.name, columnName!));
  if (!table || !column) return { refusal: `the model has no column ${of}` };
  if (column.formula !== undefined)
    return { refusal: `${of} is worked out by a formula: correct the columns that it is made of` };
  if (table.held === false)
    return { refusal: `${table.name} is passed through: its rows are not here to be corrected` };
  if (!table.key?.length)
    return { refusal: `${table.name} has no key, by which a correction would tell a row: choose one` };
  if (table.key.some((k) => sameName(k, column.name)))
    return { refusal: `${of} is part of the key, which tells the row: it cannot be corrected` };
  const taken = table.key.find((k) => CORRECTION_FIELDS.some((field) => sameName(k, field)));
  if (taken !== undefined)
    return { refusal: `the key column ${taken} is called as corrections call a field of theirs: rename it` };
  return { table, column };
}

/**
 * A list of corrections as a table that can be read: the key columns, then the value and what is said of it.
 * These are texts, so that what cannot be read is told and does not count as an empty value.
 */
export function correctionsTable({ table }: CorrectedColumn, corrections: Corrections): Table {
  const key = table.key!.map((name) => table.columns.find((c) => sameName(c.name, name))!);
  return {
    name: `corrections of ${corrections.of}`,
    role: 'staging',
    source: { file: corrections.source.file },
    columns: [
      ...key.map(({ name, type, pattern }) => ({
        name,
        type,
        ...(pattern === undefined ? {} : { pattern }),
      })),
      ...CORRECTION_FIELDS.map((name) => ({ name, type: 'text' })),
    ],
  };
}

/** All lists of corrections of a model that can be read, as tables. */
export const listsOfCorrections = (model: Model): Table[] =>
  (model.corrections ?? []).flatMap((corrections) => {
    const of = correctedColumn(model, corrections.of);
    return 'refusal' in of ? [] : [correctionsTable(of, corrections)];
  });

const readDay = textReader(DATE);
const readMoment = textReader(TIMESTAMP);

/** The corrections of a list that has been read, in its order. */
export function readCorrections({ table, column }: CorrectedColumn, rows: TableData): Correction[] {
  const width = table.key!.length;
  const all = Array.from({ length: rows.rowCount }, (_, row) => row);
  // By place: stored lists keep the names that key columns had when they were written.
  const values = [...rows.columns.values()].map((c) => c.valuesAt(all));
  const texts = values.slice(width) as (readonly (string | null)[])[];
  const readValue = textReader(
    parseType(column.type) ?? TEXT,
    column.pattern === undefined ? {} : { pattern: column.pattern },
  );
  return all.map((row): Correction => {
    const [value, author, at, comment, from, to] = texts.map((column) => column[row] ?? null);
    const faults: string[] = [];
    const read = <T extends Value>(
      text: string | null | undefined,
      how: (text: string) => T | undefined,
      what: string,
    ) => {
      if (text === null || text === undefined) return null;
      const found = how(text);
      if (found === undefined) faults.push(`${what} “${text}” cannot be read`);
      return found ?? null;
    };
    return {
      key: values.slice(0, width).map((column) => column[row]!),
      value: read(value, readValue, `the value (${column.type})`),
      author: author ?? null,
      at: at ?? null,
      moment: read(at, momentOf, 'its time') as number | null,
      comment: comment ?? null,
      from: read(from, readDay, 'the first day') as number | null,
      to: read(to, readDay, 'the last day') as number | null,
      line: rows.lineOf?.(row) ?? row + 1,
      ...(faults.length > 0 ? { fault: faults.join('; ') } : {}),
    };
  });
}

/** A moment as ISO 8601 writes it, with a zone or without; or a day. Milliseconds since 1970. */
function momentOf(text: string): number | undefined {
  const day = readDay(text);
  if (typeof day === 'number') return day * 86_400_000;
  // A time without a zone counts as one of UTC: only the order matters.
  if (!/^\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}/.test(text) && readMoment(text) === undefined) return undefined;
  const iso = text.replace(' ', 'T');
  const moment = Date.parse(/(Z|[+-]\d{2}:?\d{2})$/i.test(iso) ? iso : `${iso}Z`);
  return Number.isNaN(moment) ? undefined : moment;
}
