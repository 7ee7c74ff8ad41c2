import type { DataType, TextReading, Value } from '../values/index.ts';
import { toJson, toText, formatType, textReader } from '../values/index.ts';
import { detectDialect } from './dialect.ts';
import type { NamingRule } from './names.ts';
import { mendNames } from './names.ts';
import { fieldText, Scanner } from './scanner.ts';
import { guessType, writtenAs } from './typing.ts';

/**
 * The cells of a pasted text, of a spreadsheet's or of any delimited one, row by row; short rows are filled
 * up.
 */
export function cellsOf(text: string): string[][] {
  const bytes = new TextEncoder().encode(/[\r\n]$/.test(text) ? text : `${text}\n`);
  const { delimiter, quote, newline } = detectDialect(bytes, true);
  const rows: string[][] = [];
  const scanner = new Scanner(
    delimiter.charCodeAt(0),
    quote.charCodeAt(0),
    newline.charCodeAt(0),
    (spans) => {
      rows.push(Array.from({ length: spans.count }, (_, i) => fieldText(spans, i, quote)));
    },
  );
  scanner.push(bytes);
  scanner.end();
  const width = Math.max(0, ...rows.map(({ length }) => length));
  return rows.map((row) => [...row, ...new Array<string>(width - row.length).fill('')]);
}

/** A column of members typed by hand. */
export interface TypedColumn {
  readonly name: string;
  readonly type: string;
  /** Rows whose text is not of the type. */
  readonly misfits: readonly number[];
}

/** Members as a model holds them: one object per row, values as JSON by column; what is empty is left out. */
export interface TypedMembers {
  readonly columns: readonly TypedColumn[];
  readonly members: Record<string, null | boolean | number | string>[];
  readonly mended: readonly string[];
}

/**
 * Members from cells as texts, the first row the names. Rows without any text are passed over; a type that is
 * not said (by place) is guessed. Days are written as any file may write them, and kept as ISO 8601.
 */
export function membersOf(
  cells: readonly (readonly string[])[],
  said: ReadonlyMap<number, DataType> = new Map(),
  naming?: NamingRule,
): TypedMembers {
  const [head = [], ...body] = cells;
  const rows = body.filter((row) => row.some((text) => text.trim() !== ''));
  const { mendedNames, mended } = mendNames(head, naming);
  const read = mendedNames.map((name, place) => {
    const texts = rows.map((row) => (row[place] ?? '').trim());
    const filled = [...new Set(texts.filter((text) => text !== ''))];
    const asked = said.get(place);
    const reading: TextReading & { readonly type: DataType } = asked
      ? writtenAs(
          { type: asked },
          filled.map((text) => ({ text, rows: 1 })),
        )
      : guessType(filled);
    const { type } = reading;
    const reader = textReader(type, reading);
    return {
      name,
      type,
      values: texts.map((text): Value | undefined => (text === '' ? null : reader(text))),
    };
  });
  return {
    columns: read.map(({ name, type, values }) => ({
      name,
      type: formatType(type),
      misfits: values.flatMap((value, row) => (value === undefined ? [row] : [])),
    })),
    members: rows.map((_, row) =>
      Object.fromEntries(
        read.flatMap(({ name, type, values }) => {
          const value = values[row] ?? null;
          return value === null ? [] : [[name, toJson(value, type)] as const];
        }),
      ),
    ),
    mended,
  };
}

/** The cells of members that a model holds, the first row the names. */
export function cellsOfMembers(
  columns: readonly { name: string }[],
  members: readonly Readonly<Record<string, unknown>>[],
): string[][] {
  const text = (value: unknown) =>
    value === null || value === undefined
      ? ''
      : typeof value === 'string'
        ? value
        : toText(value as Value, { kind: 'text' });
  return [
    columns.map(({ name }) => name),
    ...members.map((member) => columns.map(({ name }) => text(member[name]))),
  ];
}
