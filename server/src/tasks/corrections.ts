import { Buffer } from 'node:buffer';
import type { CorrectionsState, Entered } from '@crease/contract';
import type { Column, TableData } from '@crease/core/columns';
import { columnOfValues, combineTables, tableOf } from '@crease/core/columns';
import type { CorrectedColumn } from '@crease/core/corrections';
import {
  correctedColumn,
  correctionsTable,
  listedCorrections,
  readCorrections,
} from '@crease/core/corrections';
import { csvLine } from '@crease/core/interchange';
import type { Corrections, FileSource, Model, Table } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import { DataError } from '@crease/core/query';
import { ReadError, TableReader } from '@crease/core/reading';
import { readSpecOf } from '@crease/core/sources';
import type { Value } from '@crease/core/values';
import { parseType, TEXT, textReader, toText } from '@crease/core/values';
import { writeTable } from '../intake/writeTable.ts';
import type { ModelVersion } from '../store/index.ts';
import { sourceKey, Tables } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { connection, dataOf } from './modelRows.ts';

/** The rows of a list as they are stored; undefined where it has none. */
function storedList({ workspace, versions }: ModelVersion, list: Table): TableData | undefined {
  const version = versions[sourceKey(list)];
  return version === undefined ? undefined : new Tables(connection(workspace)).read(version, list.name);
}

/** Corrections by column, each with what becomes of it. */
export const corrections = task((input: ModelVersion & { readonly of?: string | undefined }) => {
  const data = dataOf(input);
  const { model } = data;
  return (model.corrections ?? [])
    .filter((c) => input.of === undefined || c.of.toLowerCase() === input.of.toLowerCase())
    .map((c): CorrectionsState => {
      const of = correctedColumn(model, c.of);
      const state = { of: c.of, file: c.source.file, key: [], isRead: false, entries: [] };
      if ('refusal' in of) return { ...state, refusal: of.refusal };
      const key = of.table.key!;
      const rows = storedList(input, correctionsTable(of, c));
      if (!rows) return { ...state, key };
      try {
        const entries = listedCorrections(
          of,
          data.table(of.table.name),
          readCorrections(of, rows),
          data.today,
        );
        return { ...state, key, isRead: true, entries };
      } catch (error) {
        if (!(error instanceof DataError)) throw error;
        return { ...state, key, isRead: true, refusal: error.message };
      }
    });
});

export interface WriteInput extends ModelVersion {
  /** The list, which the model need not have yet. */
  readonly list: Corrections;
  readonly mode: 'add' | 'replace';
  /** Corrections that were entered, by whom and when; or the text of a file. */
  readonly coming:
    | { readonly entries: readonly Entered[]; readonly author: string | null; readonly at: string }
    | { readonly text: string };
}

interface WrittenCorrections {
  readonly tableId: number;
  readonly added: number;
  readonly unreadable: number;
}

/**
 * Writes a list anew with what comes behind what is there, not visible yet. Throws DataError where the column
 * cannot be corrected or what was entered cannot be read, and ReadError for a file without the columns.
 */
export const writeCorrections = task((input: WriteInput): WrittenCorrections => {
  const model = readModel(input.document);
  const of = correctable(model, input.list.of);
  const list = correctionsTable(of, input.list);
  const coming = 'text' in input.coming ? ofFile(list, input.coming.text) : ofEntries(of, list, input.coming);
  const read = readCorrections(of, coming);
  const faulty = read.find((c) => c.fault !== undefined);
  if ('entries' in input.coming && faulty) throw new DataError(`not entered: ${faulty.fault}`);
  const there = input.mode === 'add' ? storedList(input, list) : undefined;
  // What is there may have its key under names that the columns had then.
  const all = there ? combineTables(list.name, [called(there, list), coming]) : coming;
  const tables = new Tables(connection(input.workspace));
  const tableId = writeTable(tables, input.modelId, sourceKey(list), {
    ...all,
    // As they stand in the file that is written of them.
    lineOf: (row) => row + 2,
  });
  return { tableId, added: coming.rowCount, unreadable: read.filter((c) => c.fault !== undefined).length };
});

function correctable(model: Model, of: string): CorrectedColumn {
  const found = correctedColumn(model, of);
  if ('refusal' in found) throw new DataError(`cannot be corrected: ${found.refusal}`);
  return found;
}

/** A list with its columns under the names and types of now, by their places. */
function called(rows: TableData, list: Table): TableData {
  const all = Array.from({ length: rows.rowCount }, (_, row) => row);
  const columns = [...rows.columns.values()].map((column, i): Column => {
    const { name, type } = list.columns[i]!;
    const read = textReader(parseType(type) ?? TEXT);
    return columnOfValues(
      name,
      parseType(type) ?? TEXT,
      column
        .valuesAt(all)
        .map((value): Value => (value === null ? null : (read(toText(value, column.type)) ?? null))),
    );
  });
  return tableOf(list.name, columns, { rowCount: rows.rowCount });
}

function ofEntries(
  { table }: CorrectedColumn,
  list: Table,
  { entries, author, at }: { entries: readonly Entered[]; author: string | null; at: string },
): TableData {
  const width = table.key!.length;
  const lines = entries.map(({ key, value, comment = null, from = null, to = null }) => {
    if (key.length !== width)
      throw new DataError(`not entered: the key of ${table.name} is ${table.key!.join(', ')}`);
    return [...key.map((k) => (k === null ? null : String(k))), value, author, at, comment, from, to];
  });
  const columns = list.columns.map(({ name, type: declared, pattern }, i) => {
    const type = parseType(declared) ?? TEXT;
    // Keys come as answers have values: days in ISO 8601, whatever the file writes.
    const read = textReader(type, i < width || pattern === undefined ? {} : { pattern });
    return columnOfValues(
      name,
      type,
      lines.map((line): Value => {
        const text = line[i] ?? null;
        if (text === null) return null;
        const value = read(text);
        if (value === undefined)
          throw new DataError(`not entered: “${text}” is no ${declared}, which ${name} is`);
        return value;
      }),
    );
  });
  return tableOf(list.name, columns, { rowCount: lines.length });
}

function ofFile(list: Table, text: string): TableData {
  const bytes = Buffer.from(text, 'utf-8');
  const spec = readSpecOf(list, list.source as FileSource, bytes, true);
  const reader = new TableReader({ ...spec, dialect: { ...spec.dialect, encoding: 'utf-8' } });
  reader.push(bytes);
  const rows = reader.finish();
  const [problem] = rows.problems;
  if (problem)
    throw new ReadError(`line ${problem.line}: ${problem.message}. Nothing was stored: correct the file`);
  return rows;
}

/** The corrections of a column as a file that can be read again; null where there are none. */
export const correctionsFile = task((input: ModelVersion & { readonly of: string }): string | null => {
  const model = readModel(input.document);
  const list = (model.corrections ?? []).find((c) => c.of.toLowerCase() === input.of.toLowerCase());
  if (!list) return null;
  const table = correctionsTable(correctable(model, list.of), list);
  const rows = storedList(input, table);
  if (!rows) return null;
  const all = Array.from({ length: rows.rowCount }, (_, row) => row);
  const columns = [...rows.columns.values()].map((column) =>
    column.valuesAt(all).map((value) => (value === null ? null : toText(value, column.type))),
  );
  const line = (row: number) => columns.map((column) => column[row]!);
  return [table.columns.map((c) => c.name), ...all.map(line)].map((values) => csvLine(values)).join('');
});
